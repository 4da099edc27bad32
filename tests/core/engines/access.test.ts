import fc from 'fast-check';
import { encode } from 'js-base64';
import { describe, expect, it } from 'vitest';
import { servedWithTls } from '$core/blueprints';
import { conditionOf, isReady, type Account, type ApiObject, type Asset, type Pod, type StatefulSet } from '$core/model';
import { rootLine } from '$core/rootline';
import { issue, makeAuthority, type World } from '$core/standin';
import { objects as read } from '../help';
import { answered, ask, must, remove, roomy } from '../roomy';

const sent = (...objects: ApiObject[]): World => {
  const world = roomy();
  must(world, ...objects);
  world.runSettled();
  return world;
};
const write = { do: 'produce', place: 'gate-scans', value: 'ticket 12' };
const list = { do: 'consume', place: 'gate-scans', from: 'beginning' as const };

describe('listeners with certificates', () => {
  it('each outside address serves by its own name; a certificate without that name is refused there, and nowhere else', () => {
    const world = sent(...answered('log-broker', { reach: 'outside', domain: 'gates.example' }));
    for (const member of ['boarding-0', 'boarding-1', 'boarding-2'])
      expect(ask(world, 'events', 'boarding', { do: 'topics' }, { way: 'outside', member }).outcome).toBe('acknowledged');
    const wish = world.store.get('Certificate', 'events', 'boarding')!;
    const without = (name: string) => ({ ...wish, spec: { ...wish.spec, names: wish.spec.names.filter((one) => one !== name) } });
    must(world, without('broker-1.gates.example'));
    remove(world, { kind: 'Service', namespace: 'events', name: 'boarding-front' });
    world.runSettled();
    expect(ask(world, 'events', 'boarding', { do: 'topics' }, { way: 'outside', member: 'boarding-1' }).says).toContain(
      "the certificate in boarding-tls doesn't carry the name broker-1.gates.example"
    );
    expect(ask(world, 'events', 'boarding', { do: 'topics' }, { way: 'outside', member: 'boarding-2' }).outcome).toBe('acknowledged');
    expect(ask(world, 'events', 'boarding', { do: 'topics' }, { member: 'boarding-1' }).outcome).toBe('acknowledged');
  });

  it('what is open in plain is served with certificates by one draft, member after member, and keeps its messages', () => {
    const world = sent(...answered('log-broker', { reach: 'outside', tls: 'off' }));
    expect(ask(world, 'events', 'boarding', write, { way: 'outside' }).outcome).toBe('acknowledged');
    const set = () => world.store.get('StatefulSet', 'events', 'boarding')!;
    const draft = servedWithTls(world.store, set(), 'gates.example')!;
    expect(draft.map((one) => one.kind)).toEqual(['Issuer', 'Certificate', 'StatefulSet', 'Service', 'Service', 'Service', 'Service']);
    must(world, ...draft);
    world.runSettled();
    expect(ask(world, 'events', 'boarding', list, { way: 'outside' }).count).toBe(1);
    expect(ask(world, 'events', 'boarding', { do: 'topics' }, { way: 'outside', member: 'boarding-2' }).outcome).toBe('acknowledged');
    expect(servedWithTls(world.store, set(), 'gates.example')).toBeUndefined();
    // Without the secret's certificate nobody would listen there.
    must(world, { ...set(), spec: { ...set().spec, template: answeredTemplate() } } as StatefulSet);
    world.runSettled();
    expect(ask(world, 'events', 'boarding', list, { way: 'outside' }).says).toContain('it has no certificate to show');
  });
});

/** The brokers' template without TLS. */
const answeredTemplate = () =>
  (answered('log-broker', { tls: 'off' }).find((one) => one.kind === 'StatefulSet' && one.metadata.name === 'boarding') as StatefulSet).spec
    .template;

describe('accounts of a log broker', () => {
  it('are made by the helper with a password of their own, do what they may and nothing else, and end with their object', () => {
    const world = sent(...answered('log-broker'));
    const reader: ApiObject = {
      apiVersion: 'engines.standin.example/v1',
      kind: 'Account',
      metadata: { name: 'counter', namespace: 'events' },
      spec: { workload: 'boarding', secret: 'boarding-counter', write: [], read: ['gate-scans'] }
    };
    must(world, reader);
    world.runSettled();
    const made = world.store.get('Account', 'events', 'counter')!;
    expect(conditionOf(made.status!.conditions, 'Ready')).toMatchObject({
      status: 'True',
      message: expect.stringContaining('reads gate-scans')
    });
    expect(world.store.get('Secret', 'events', 'boarding-counter')!.data!.password!.length).toBeGreaterThan(40);
    const as = (account: string, op: typeof write | typeof list, login: 'right' | 'wrong' | 'none' = 'right') =>
      ask(world, 'events', 'boarding', op, { account, login });
    expect(as('gates', write).outcome).toBe('acknowledged');
    expect(as('counter', list).count).toBe(1);
    expect(as('counter', write).says).toBe('access denied: counter may not write gate-scans');
    expect(as('counter', list, 'wrong').says).toBe('access denied: the password is wrong');
    expect(as('counter', list, 'none').says).toBe('access denied: no password was shown');
    expect(as('nobody', list).says).toBe('access denied: there is no account nobody');
    // Rights are altered, and a new password counts at once.
    must(world, { ...made, spec: { ...made.spec, write: ['gate-scans'] } } satisfies Account);
    world.runSettled();
    expect(as('counter', write).outcome).toBe('acknowledged');
    must(world, {
      ...world.store.get('Secret', 'events', 'boarding-counter')!,
      data: { user: encode('counter'), password: encode('another one') }
    });
    world.runSettled();
    expect(as('counter', list).outcome).toBe('acknowledged');
    remove(world, { kind: 'Account', namespace: 'events', name: 'counter' });
    world.runSettled();
    expect(as('counter', list).says).toContain('no account counter');
    // Taken away while nobody decides: it ends as soon as somebody does.
    must(world, reader);
    world.runSettled();
    const dark = (nodes: string[]) =>
      must(world, { apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: 'o' }, spec: { dark: nodes } });
    dark(['boarding-coord-0', 'boarding-coord-1'].map((name) => world.store.get('Pod', 'events', name)!.spec.nodeName!));
    world.runUntil(world.nowMs + 20_000);
    remove(world, { kind: 'Account', namespace: 'events', name: 'counter' });
    world.runUntil(world.nowMs + 5_000);
    dark([]);
    world.runUntil(world.nowMs + 200_000);
    expect(as('counter', list).says).toContain('no account counter');
  });
});

describe('what an account may', () => {
  it('is what it was given, topic by topic, whatever that is', () => {
    const topics = ['gate-scans', 'crew-calls', 'fuel'];
    const world = sent(
      ...answered('log-broker'),
      ...topics.slice(1).map((name): ApiObject => ({
        apiVersion: 'engines.standin.example/v1',
        kind: 'Topic',
        metadata: { name, namespace: 'events' },
        spec: { workload: 'boarding', partitions: 1, copies: 3, least: 2 }
      }))
    );
    const some = fc.uniqueArray(fc.constantFrom(...topics, '*'));
    let n = 0;
    fc.assert(
      fc.property(some, some, (write, read) => {
        const name = `a${(n += 1)}`;
        must(world, {
          apiVersion: 'engines.standin.example/v1',
          kind: 'Account',
          metadata: { name, namespace: 'events' },
          spec: { workload: 'boarding', secret: name, write, read }
        });
        world.runSettled();
        for (const place of topics)
          for (const [op, list] of [
            [{ do: 'produce', place, value: 'x' }, write],
            [{ do: 'consume', place }, read]
          ] as const) {
            const { outcome } = ask(world, 'events', 'boarding', op, { account: name });
            expect([name, op.do, place, outcome]).toEqual([
              name,
              op.do,
              place,
              list.includes(place) || list.includes('*') ? 'acknowledged' : 'refused'
            ]);
          }
      }),
      { numRuns: 15, seed: 3 }
    );
  });
});

describe('who gets into an object store, and what lies on its volumes', () => {
  const provider = (audiences: string[]): ApiObject => ({
    apiVersion: 'standin.example/v1',
    kind: 'LoginProvider',
    metadata: { name: 'login' },
    spec: { issuer: 'https://login.ferries.example', audiences, reachable: true }
  });

  it('tokens of a provider: the issuer to the letter, the right audience, and within reach (OpenID Connect Core 1.0, 3.1.3.7)', () => {
    const world = sent(...answered('object-store', { logins: 'provider' }));
    const get = (login: 'right' | 'wrong' | 'none' = 'right') => ask(world, 'archive', 'papers', { do: 'list' }, { login });
    expect(get().says).toContain('no identity provider has the issuer https://login.ferries.example');
    must(world, provider(['other']));
    expect(get().says).toContain('gives no tokens for the audience "papers"');
    must(world, provider(['papers']));
    expect(get().outcome).toBe('acknowledged');
    expect(get('wrong').says).toBe('access denied: the token is for another audience');
    expect(get('none').says).toBe('access denied: no token was shown');
    expect(world.store.get('Secret', 'archive', 'papers-access')).toBeUndefined();
  });

  it('with a certificate that is brought along: members wait until it is there, and show it', () => {
    const world = sent(...answered('object-store', { tls: 'given', reach: 'outside', domain: 'papers.example' }));
    expect(world.store.list('Certificate')).toEqual([]);
    const waits = rootLine(world.store, { kind: 'Pod', namespace: 'archive', name: 'papers-0' })!.joints.find(
      (one) => one.state === 'broken'
    )!;
    expect([waits.joint, waits.says]).toEqual(['references', expect.stringContaining('papers-tls')]);
    // Somebody brings one, from an authority elsewhere.
    const from = Date.parse('2024-01-01T00:00:00Z');
    const until = Date.parse('2124-01-01T00:00:00Z');
    const names = [0, 1, 2, 3, 4, 5].map((i) => `papers-${i}.papers.archive.svc.cluster.local`);
    const bring = (all: string[]) => {
      const pair = issue(makeAuthority('elsewhere', 'elsewhere', from, until), all.join(), all, from, until);
      must(world, {
        apiVersion: 'v1',
        kind: 'Secret',
        metadata: { name: 'papers-tls', namespace: 'archive' },
        type: 'kubernetes.io/tls',
        data: { 'tls.crt': encode(pair.certificate), 'tls.key': encode(pair.key) }
      });
      world.runSettled();
    };
    bring([...names, 'papers.example']);
    const list = { do: 'list' };
    expect(ask(world, 'archive', 'papers', list, { way: 'outside' }).outcome).toBe('acknowledged');
    bring(names);
    expect(ask(world, 'archive', 'papers', list, { way: 'outside' }).says).toContain("doesn't carry the name papers.example");
    // Inside, members are still called by their own names.
    expect(ask(world, 'archive', 'papers', list).outcome).toBe('acknowledged');
  });

  it('encrypted by the store: nothing of the content lies on the volumes, and another key reads nothing', () => {
    const text = 'a bill of lading, in plain words, for the checker to look for';
    const shards = (encrypts: 'yes' | 'no') => {
      const world = sent(...answered('object-store', { encrypts, members: '2', volumes: '1', parity: '0' }));
      expect(ask(world, 'archive', 'papers', { do: 'put', place: 'cargo-papers', key: 'b', value: text }).outcome).toBe('acknowledged');
      const kept = world.store.list('Asset').flatMap((one: Asset) => {
        const { shards: all = {} } = (one.status?.engine ?? {}) as { shards?: Record<string, { bytes?: string }> };
        return all['cargo-papers/b']?.bytes ?? [];
      });
      const bytes = kept.map((name) => Buffer.from(world.memory<Uint8Array>('bytes').get(name)!).toString('latin1')).join('');
      return { world, bytes };
    };
    expect(shards('no').bytes).toContain('in plain words');
    const { world, bytes } = shards('yes');
    expect(bytes.length).toBeGreaterThanOrEqual(text.length);
    for (let i = 0; i + 6 <= text.length; i += 1) expect(bytes).not.toContain(text.slice(i, i + 6));
    const get = () => ask(world, 'archive', 'papers', { do: 'get', place: 'cargo-papers', key: 'b' });
    expect(get()).toMatchObject({ outcome: 'acknowledged', bytes: text.length, says: expect.stringContaining('SHA-256 agrees') });
    must(world, { ...world.store.get('Secret', 'archive', 'papers-key')!, data: { password: encode('some other key') } });
    for (const pod of world.store.list('Pod', 'archive')) remove(world, { kind: 'Pod', namespace: 'archive', name: pod.metadata.name });
    world.runSettled();
    expect(get()).toMatchObject({ outcome: 'refused', says: expect.stringContaining('encrypted with another key') });
  });
});

describe('images', () => {
  const tool = (image: string, more = ''): ApiObject[] =>
    read(
      `apiVersion: v1\nkind: Pod\nmetadata: {name: tool, namespace: default}\nspec: {containers: [{name: tool, image: ${image}}]${more}}\n`
    );
  const mirror = (more: object = {}): ApiObject => ({
    apiVersion: 'standin.example/v1',
    kind: 'Registry',
    metadata: { name: 'mirror' },
    spec: { host: 'mirror.example', reachable: true, ...more }
  });
  const pullSecret = (login: string): ApiObject => ({
    apiVersion: 'v1',
    kind: 'Secret',
    metadata: { name: 'mirror-pull', namespace: 'default' },
    type: 'kubernetes.io/dockerconfigjson',
    data: { '.dockerconfigjson': encode(JSON.stringify({ auths: { 'mirror.example': { auth: encode(login) } } })) }
  });
  const ready = (world: World) => isReady(world.store.get('Pod', 'default', 'tool')!);
  const broken = (world: World) =>
    rootLine(world.store, { kind: 'Pod', namespace: 'default', name: 'tool' })!.joints.find((one) => one.state === 'broken');

  it("a registry that asks for a login: the pod's pull secret, or its account's, with the right login, in its own namespace", () => {
    const world = sent(mirror({ logins: [{ user: 'nodes', password: 'made-up' }] }), ...tool('mirror.example/engines/image-shelf:r4'));
    expect(broken(world)).toMatchObject({
      joint: 'image',
      says: expect.stringContaining('asks for a login, and the pod names no pull secret')
    });
    must(world, pullSecret('nodes:wrong'), {
      apiVersion: 'v1',
      kind: 'ServiceAccount',
      metadata: { name: 'default', namespace: 'default' },
      imagePullSecrets: [{ name: 'mirror-pull' }]
    } as ApiObject);
    world.runUntil(world.nowMs + 10_000);
    expect(broken(world)!.says).toContain('refuses the login in the secret mirror-pull');
    must(world, pullSecret('nodes:made-up'));
    world.runUntil(world.nowMs + 400_000);
    expect(ready(world)).toBe(true);
    // A mirrored image is the same program: its engine runs.
    expect(world.store.get('Process', 'default', 'tool')!.spec.engine).toBe('image-shelf');
  });

  it('a version that is not made for the cluster ends as it starts; the root line offers the one that fits, which does', () => {
    const world = roomy();
    const old = answered('multi-primary-sql').map((one) =>
      one.kind === 'StatefulSet'
        ? (JSON.parse(JSON.stringify(one).replace('multi-primary-sql:r4', 'multi-primary-sql:r3')) as StatefulSet)
        : one
    );
    must(world, ...old);
    world.runUntil(world.nowMs + 300_000);
    const line = rootLine(world.store, { kind: 'Pod', namespace: 'tickets', name: 'bookings-0' })!;
    const start = line.joints.find((one) => one.state === 'broken')!;
    expect([start.joint, start.says]).toEqual([
      'start',
      'ends at once: shelf.standin.example/engines/multi-primary-sql:r3 fits clusters from 1.20 to 1.29; this one is 1.32'
    ]);
    must(world, ...start.remedy!.manifests!);
    remove(world, { kind: 'Pod', namespace: 'tickets', name: 'bookings-0' });
    world.runSettled();
    expect((world.store.list('Pod', 'tickets') as Pod[]).filter(isReady)).toHaveLength(3);
  });
});
