import { gzipSync } from 'node:zlib';
import { zipSync, strToU8 } from 'fflate';
import { describe, expect, test } from 'vitest';
import { stringify } from 'yaml';
import { call, dispatch, packed, read, type Body, type Line } from './call';

const dumpOf = async (id: string) => (await call<{ items: { kind: string }[] }>('GET', `/rehearsals/${id}/dump`)).body;
const line = async (id: string, kind = 'Pod', name = 'bookings-0') =>
  (await call<Line>('GET', `/rehearsals/${id}/root-line?kind=${kind}&namespace=tickets&name=${name}`)).body;

const bytes = (text: string): Uint8Array<ArrayBuffer> => new TextEncoder().encode(text);

describe('the stuck cluster, read back from its own dump', () => {
  test('first break driver, rights and backend unseen with where to look; rehearsed from there, sending the driver mends it', async () => {
    const dump = await dumpOf('south-quay');
    expect(dump.items.every((one) => !['Ground', 'Backend', 'Identity', 'Registry', 'Asset'].includes(one.kind))).toBe(true);
    const { status, body } = await read('prod-south', dump);
    expect([status, body.problems]).toEqual([201, 0]);
    expect(body.objects).toBe(dump.items.length);

    const stuck = await line('prod-south');
    expect(stuck.firstBreak).toBe('driver');
    for (const joint of ['rights', 'backend'] as const)
      expect(stuck.joints.find((one) => one.joint === joint)).toMatchObject({
        state: 'unseen',
        says: expect.stringMatching(/look at/) as string
      });
    expect(stuck.joints.find((one) => one.joint === 'driver')!.evidence.length).toBeGreaterThan(0);

    const estate = await call<{ items: { id: string; sentence: string; kind: string }[] }>('GET', '/clusters');
    expect(estate.body.items.find((one) => one.id === 'prod-south')).toMatchObject({
      kind: 'dump',
      sentence: expect.stringMatching(/driver/) as string
    });
    for (const sheet of ['ground', 'supply', 'members'])
      expect((await call('GET', `/rehearsals/prod-south/sheets/${sheet}`)).status).toBe(200);

    const assumed = await call<{ items: { id: string; value: string }[] }>('GET', '/clusters/prod-south/assumptions');
    expect(assumed.body.items.map((one) => one.id)).toEqual(
      expect.arrayContaining(['room:block.standin.example', 'rights:block.standin.example', 'registry:shelf.standin.example'])
    );
    expect((await call('POST', '/clusters/prod-south/rehearsals', { name: 'try-south' })).status).toBe(201);
    await call('POST', '/rehearsals/try-south/clock', { until: 'settled' });
    expect((await line('try-south')).firstBreak).toBe('driver');
    const { body: install } = await call<{ yaml: string }>('GET', '/drivers/block.standin.example/install');
    expect((await call('POST', '/rehearsals/try-south/send', install.yaml)).status).toBe(200);
    await call('POST', '/rehearsals/try-south/clock', { until: 'settled' });
    expect(await line('try-south', 'StatefulSet', 'bookings')).toMatchObject({ firstBreak: null });
  });

  test('an assumption that is set counts: without the right to create, the break is there', async () => {
    expect(
      (
        await call('POST', '/clusters/prod-south/rehearsals', {
          name: 'try-rights',
          answers: { 'rights:block.standin.example': 'attach, detach' }
        })
      ).status
    ).toBe(201);
    const { body: install } = await call<{ yaml: string }>('GET', '/drivers/block.standin.example/install');
    await call('POST', '/rehearsals/try-rights/send', install.yaml);
    await call('POST', '/rehearsals/try-rights/clock', { until: 'settled' });
    expect((await line('try-rights')).firstBreak).toBe('rights');
  });

  test('what cannot be supposed is refused by name, all of it at once, and nothing is made', async () => {
    const answers = { 'room:block.standin.example': 'a lot', pods: '300.64.0.0/10', 'like:constructor': 'x' };
    const body = { name: 'try-nonsense', answers };
    const refused = await call<{ problems: { at: { field: string } }[] }>('POST', '/clusters/prod-south/rehearsals', body);
    expect(refused).toMatchObject({ status: 422, body: { type: 'urn:root-barn:problem:bad-answer' } });
    expect(refused.body.problems.map((one) => one.at.field)).toEqual(Object.keys(answers).map((one) => `answers.${one}`));
    expect((await call('GET', '/rehearsals/try-nonsense')).status).toBe(404);
  });

  test('it can be looked at and not changed', async () => {
    for (const [path, body] of [
      ['send', 'apiVersion: v1\nkind: Namespace\nmetadata: {name: a}\n'],
      ['clock', { until: 'settled' }],
      ['forks', { name: 'a' }],
      ['undo', {}]
    ] as const)
      expect(await call('POST', `/rehearsals/prod-south/${path}`, body)).toMatchObject({
        status: 409,
        body: { type: 'urn:root-barn:problem:read-only', remedy: expect.stringMatching(/Rehearse/) as string }
      });
  });
});

describe('a running cluster goes on from its present state', () => {
  test('nobody restarts, claims stay bound, and growing and losing a member work', async () => {
    await read('prod-north', await dumpOf('north-quay'));
    expect((await call('POST', '/clusters/prod-north/rehearsals', { name: 'try-north' })).status).toBe(201);
    const pods = async () =>
      (
        await call<{ items: { metadata: { name: string; uid: string } }[] }>(
          'GET',
          '/rehearsals/try-north/objects?kind=Pod&namespace=events'
        )
      ).body.items.map((one) => `${one.metadata.name} ${one.metadata.uid}`);
    const before = await pods();
    expect(before.length).toBeGreaterThan(3);
    await call('POST', '/rehearsals/try-north/clock', { until: 'settled' });
    expect(await pods()).toEqual(before);
    expect(await line('try-north', 'StatefulSet', 'x').catch(() => null)).toBeTruthy();
    const grown = await call('POST', '/rehearsals/try-north/grow', { namespace: 'events', name: 'data-boarding-0', size: '160Gi' });
    expect(grown.status).toBe(200);
    await call('POST', '/rehearsals/try-north/remove', { kind: 'Pod', namespace: 'events', name: 'boarding-2' });
    await call('POST', '/rehearsals/try-north/clock', { until: 'settled' });
    const claim = (
      await call<{ items: { status: { capacity: { storage: string } } }[] }>(
        'GET',
        '/rehearsals/try-north/objects?kind=PersistentVolumeClaim&namespace=events&name=data-boarding-0'
      )
    ).body.items[0]!;
    expect(claim.status.capacity.storage).toBe('160Gi');
    const line2 = (await call<Line>('GET', '/rehearsals/try-north/root-line?kind=StatefulSet&namespace=events&name=boarding')).body;
    expect(line2.firstBreak).toBeNull();
    const after = await pods();
    expect(after.filter((one) => !before.includes(one)).map((one) => one.split(' ')[0])).toEqual(['boarding-2']);
  });
});

const foreign = `
apiVersion: v1
kind: Node
metadata: {name: n1, labels: {topology.kubernetes.io/zone: z1, kubernetes.io/hostname: n1}}
status: {allocatable: {cpu: "4", memory: 16Gi, pods: "110"}, conditions: [{type: Ready, status: "True", lastTransitionTime: "2026-05-01T10:00:00Z"}]}
---
{apiVersion: v1, kind: Node, metadata: {name: n2, labels: {topology.kubernetes.io/zone: z1, kubernetes.io/hostname: n2}}, status: {allocatable: {cpu: "4", memory: 16Gi}}}
---
apiVersion: storage.k8s.io/v1
kind: CSIDriver
metadata: {name: disks.example.test}
spec: {attachRequired: true}
---
apiVersion: storage.k8s.io/v1
kind: CSINode
metadata: {name: n1}
spec: {drivers: [{name: disks.example.test, nodeID: n1, topologyKeys: [topology.example.test/zone], allocatable: {count: 8}}]}
---
{apiVersion: storage.k8s.io/v1, kind: CSINode, metadata: {name: n2}, spec: {drivers: [{name: disks.example.test, nodeID: n2, topologyKeys: [topology.example.test/zone]}]}}
---
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: fast, annotations: {storageclass.kubernetes.io/is-default-class: "true"}}
provisioner: disks.example.test
parameters: {tier: gold}
volumeBindingMode: WaitForFirstConsumer
allowVolumeExpansion: true
---
apiVersion: apps/v1
kind: Deployment
metadata: {name: web, namespace: shop, uid: d1}
spec: {replicas: 1, selector: {matchLabels: {app: web}}, template: {metadata: {labels: {app: web}}, spec: {containers: [{name: web, image: "registry.example.test/web:3", env: [{name: A, valueFrom: {secretKeyRef: {name: web-key, key: a}}}]}]}}}
status: {replicas: 1, readyReplicas: 1}
---
apiVersion: apps/v1
kind: ReplicaSet
metadata: {name: web-77, namespace: shop, uid: r1, ownerReferences: [{apiVersion: apps/v1, kind: Deployment, name: web, uid: d1, controller: true}]}
spec: {replicas: 1, selector: {matchLabels: {app: web}}}
---
apiVersion: v1
kind: Pod
metadata: {name: web-77-abc, namespace: shop, uid: p1, labels: {app: web, pod-template-hash: "77"}, ownerReferences: [{apiVersion: apps/v1, kind: ReplicaSet, name: web-77, uid: r1, controller: true}]}
spec: {nodeName: n1, containers: [{name: web, image: "registry.example.test/web:3"}]}
status: {phase: Running, podIP: 10.1.0.4, startTime: "2026-05-01T11:00:00Z", conditions: [{type: Ready, status: "True", lastTransitionTime: "2026-05-01T11:00:30Z"}]}
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: ledger, namespace: shop, creationTimestamp: "2026-05-02T09:00:00Z"}
spec: {accessModes: [ReadWriteOnce], storageClassName: fast, resources: {requests: {storage: 5Gi}}}
status: {phase: Pending}
---
apiVersion: widgets.example.test/v1
kind: Widget
metadata: {name: spinner, namespace: shop, uid: w1, ownerReferences: [{apiVersion: apps/v1, kind: Deployment, name: web, uid: d1}]}
spec: {turns: 4}
status: {conditions: [{type: Ready, status: "False", reason: Stuck}]}
---
apiVersion: v1
kind: Secret
metadata: {name: web-tls, namespace: shop, annotations: {example.test/last-applied-configuration: "{\\"data\\":{\\"tls.key\\":\\"c2VjcmV0\\"}}"}}
data: {tls.key: c2VjcmV0LXZhbHVl, tls.crt: eA==}
---
apiVersion: events.k8s.io/v1
kind: Event
metadata: {name: web.1, namespace: shop}
regarding: {kind: Pod, namespace: shop, name: web-77-abc}
reason: Pulled
note: Pulled the image
eventTime: "2026-05-01T11:00:10.000000Z"
type: Normal
`;

describe('any cluster', () => {
  test('unknown kinds are kept and linked, events of either group are evidence, the values of secrets are dropped at the door', async () => {
    const { body } = await read('other', foreign);
    expect(body).toMatchObject({ others: 1, problems: 0 });
    const { body: dumps } = await call<{
      items: { summary: { others: { kind: string; owners: { name: string }[] }[]; kinds: Record<string, number>; secretsKept: boolean } }[];
    }>('GET', '/clusters/other/dumps');
    expect(dumps.items[0]!.summary.others[0]).toMatchObject({
      kind: 'Widget',
      owners: [{ kind: 'Deployment', name: 'web' }],
      conditions: [{ reason: 'Stuck' }]
    });
    const objects = async (name: string, kind: string, more = '') =>
      (await call<{ items: Record<string, unknown>[] }>('GET', `/rehearsals/${name}/objects?kind=${kind}${more}`)).body.items;
    expect(JSON.stringify(await objects('other', 'Secret'))).not.toContain('c2VjcmV0');
    expect((await objects('other', 'Secret'))[0]).toMatchObject({ data: { 'tls.key': '', 'tls.crt': '' } });
    expect((await objects('other', 'Event'))[0]).toMatchObject({ involvedObject: { name: 'web-77-abc' }, message: 'Pulled the image' });
    await read('other-kept', foreign, '&secrets=keep');
    expect((await objects('other-kept', 'Secret'))[0]).toMatchObject({ data: { 'tls.key': '' } });
    expect((await objects('other-kept', 'Secret', '&secrets=keep'))[0]).toMatchObject({ data: { 'tls.key': 'c2VjcmV0LXZhbHVl' } });
  });

  test('an unknown driver is stood in for: the claim binds, its pod is placed and attached; the running pod runs on', async () => {
    expect((await call('POST', '/clusters/other/rehearsals', { name: 'try-other' })).status).toBe(201);
    const pod =
      'apiVersion: v1\nkind: Pod\nmetadata: {name: user, namespace: shop}\nspec: {containers: [{name: a, image: "registry.example.test/a:1", volumeMounts: [{name: d, mountPath: /d}]}], volumes: [{name: d, persistentVolumeClaim: {claimName: ledger}}]}\n';
    expect((await call('POST', '/rehearsals/try-other/send', pod)).status).toBe(200);
    await call('POST', '/rehearsals/try-other/clock', { until: 'settled' });
    const objects = async (kind: string) =>
      (
        await call<{
          items: { metadata: { name: string; uid: string; ownerReferences?: { kind: string }[] }; status?: { phase?: string } }[];
        }>('GET', `/rehearsals/try-other/objects?kind=${kind}&namespace=shop`)
      ).body.items;
    expect((await objects('PersistentVolumeClaim'))[0]!.status!.phase).toBe('Bound');
    const pods = await objects('Pod');
    expect(pods.map((one) => [one.metadata.name, one.status!.phase])).toEqual(
      expect.arrayContaining([
        ['web-77-abc', 'Running'],
        ['user', 'Running']
      ])
    );
    expect(pods).toHaveLength(2);
    expect(pods.find((one) => one.metadata.uid === 'p1')!.metadata.ownerReferences![0]!.kind).toBe('ReplicaSet');
  });

  test('an export without its replica sets goes on with the pods that run, and makes one anew that is lost', async () => {
    const without = foreign.replace(/apiVersion: apps\/v1\nkind: ReplicaSet\n[\s\S]*?\n---\n/, '');
    expect(without).not.toContain('kind: ReplicaSet\n');
    await read('bare', without);
    expect((await call('POST', '/clusters/bare/rehearsals', { name: 'try-bare' })).status).toBe(201);
    const settled = async () => {
      await call('POST', '/rehearsals/try-bare/clock', { until: 'settled' });
      const of = async (kind: string) =>
        (
          await call<{ items: { metadata: { name: string } }[] }>('GET', `/rehearsals/try-bare/objects?kind=${kind}&namespace=shop`)
        ).body.items.map((one) => one.metadata.name);
      return [await of('ReplicaSet'), await of('Pod')] as const;
    };
    expect(await settled()).toEqual([['web-77'], ['web-77-abc']]);
    expect((await call('POST', '/rehearsals/try-bare/remove', { kind: 'Pod', namespace: 'shop', name: 'web-77-abc' })).status).toBe(200);
    const [sets, pods] = await settled();
    expect([sets, pods.length, pods[0]]).toEqual([['web-77'], 1, expect.stringMatching(/^web-77-(?!abc$)/)]);
  });

  test('a second dump is compared with the first: what came, went, changed, and what has been waiting since when', async () => {
    const later = foreign
      .replace(
        'name: ledger, namespace: shop, creationTimestamp: "2026-05-02T09:00:00Z"',
        'name: ledger, namespace: shop, creationTimestamp: "2026-05-02T09:00:00Z", labels: {a: b}'
      )
      .replace('phase: Running', 'phase: Pending')
      .replace('status: "True", lastTransitionTime: "2026-05-01T11:00:30Z"', 'status: "False", lastTransitionTime: "2026-05-03T08:00:00Z"')
      .replace('kind: Widget', 'kind: Wodget')
      .replace('name: web-tls', 'name: web-tls-2')
      .replace(
        '{replicas: 1, selector: {matchLabels: {app: web}}, template',
        '{replicas: 2, selector: {matchLabels: {app: web}}, template'
      );
    await read('other', later);
    const { body } = await call<{
      came: { ref: { name: string } }[];
      went: { ref: { name: string } }[];
      changed: { ref: { kind: string; name: string }; before?: string; after?: string; fields?: { field: string }[] }[];
      waiting: { ref: { kind: string; name: string }; sinceMs: number; also: boolean }[];
    }>('GET', '/clusters/other/comparison');
    expect([body.came.map((one) => one.ref.name), body.went.map((one) => one.ref.name)]).toEqual([['web-tls-2'], ['web-tls']]);
    expect(body.changed.find((one) => one.ref.kind === 'Pod')).toMatchObject({ before: 'ready', after: 'Pending' });
    expect(body.changed.find((one) => one.ref.kind === 'Deployment')).toMatchObject({
      fields: [{ field: 'spec.replicas', before: 1, after: 2 }],
      before: '1 of 1 ready',
      after: '1 of 2 ready'
    });
    const claim = body.waiting.find((one) => one.ref.kind === 'PersistentVolumeClaim')!;
    expect(claim.also).toBe(true);
    const { epochMs } = await import('$core/shared');
    expect(new Date(epochMs + claim.sinceMs).toISOString()).toBe('2026-05-02T09:00:00.000Z');
    expect(body.waiting.find((one) => one.ref.kind === 'Pod')!.also).toBe(false);
  });

  test('an object of a kind that is not known here mends like any other', async () => {
    const stuck = '{type: Ready, status: "False", reason: Stuck}';
    const becameOf = async (later: string) => {
      await read('other', foreign);
      await read('other', later);
      const { became } = (await call<{ became: Record<string, { ref: { name: string } }[]> }>('GET', '/clusters/other/comparison')).body;
      return ['mended', 'unseen'].map((one) => became[one]!.map((two) => two.ref.name));
    };
    expect(await becameOf(foreign.replace(stuck, '{type: Ready, status: "True", reason: Turns}'))).toEqual([['spinner'], []]);
    // It is there, and says nothing of itself: whether it is well can't be told.
    expect(await becameOf(foreign.replace(`conditions: [${stuck}]`, ''))).toEqual([[], ['spinner']]);
  });
});

const small = 'apiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: NAME\n  namespace: default\n---\n';
const many = (count: number) => Array.from({ length: count }, (_, i) => small.replace('NAME', `c-${i}`)).join('');

describe('every way in which a dump may come', () => {
  const list = {
    apiVersion: 'v1',
    kind: 'List',
    items: Array.from({ length: 7 }, (_, i) => ({
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata: { name: `c-${i}` },
      data: { a: `line\nother - dash\n- item` }
    }))
  };
  test.each<[string, () => Promise<Body> | Body, number]>([
    ['YAML documents', () => many(7), 7],
    ['a list in YAML, cut at its items', () => stringify(list), 7],
    ['a list in YAML with indented items', () => stringify(list, { indentSeq: true }), 7],
    [
      'a typed list',
      () => ({ apiVersion: 'v1', kind: 'ConfigMapList', items: list.items.map(({ apiVersion: _, kind: __, ...one }) => one) }),
      7
    ],
    ['an array', () => list.items, 7],
    ['JSON values one after another', () => list.items.map((one) => JSON.stringify(one)).join('\n'), 7],
    ['CRLF', () => many(7).replace(/\n/g, '\r\n'), 7],
    ['a byte-order mark', () => `\uFEFF${many(7)}`, 7],
    ['UTF-16 with a mark', () => new Uint8Array(Buffer.from(`\uFEFF${many(7)}`, 'utf16le')), 7],
    ['UTF-16 without one', () => new Uint8Array(Buffer.from(many(7), 'utf16le')), 7],
    ['gzip', () => new Uint8Array(gzipSync(many(7))), 7],
    [
      'tar',
      async () => new Uint8Array(await packed({ 'a/one.yaml': many(3), 'two.json': JSON.stringify(list), 'notes.txt': 'left out' })),
      7
    ],
    ['tar.gz', async () => new Uint8Array(gzipSync(await packed({ 'one.yaml': many(7) }))), 7],
    ['zip', () => new Uint8Array(zipSync({ 'one.yaml': strToU8(many(4)), 'dir/two.yaml': strToU8(many(7)), 'readme.md': strToU8('x') })), 7]
  ])('%s', async (way, body, count) => {
    const { status, body: got } = await read(
      `way-${way
        .replace(/[^a-z]+/gi, '-')
        .toLowerCase()
        .slice(0, 40)
        .replace(/-$/, '')}`,
      await body()
    );
    expect([status, got.objects, got.detail]).toEqual([201, count, undefined]);
  });

  test.each<[string, () => Promise<Body> | Body, number, RegExp]>([
    [
      'an alias bomb alone',
      () =>
        'a: &a [x,x,x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b,*b,*b]\nd: [*c,*c,*c,*c,*c,*c,*c,*c,*c,*c]\n',
      400,
      /unfolded/
    ],
    ['nesting a thousand deep', () => '{a: '.repeat(1_000) + '1' + '}'.repeat(1_000), 400, /too deep/],
    ['nesting a hundred thousand deep, as JSON', () => '['.repeat(100_000), 400, /deep|no valid JSON/],
    ['a truncated archive', () => new Uint8Array(gzipSync(many(5_000)).subarray(0, 2_000)), 400, /cut off/],
    ['a truncated tar', async () => new Uint8Array((await packed({ 'one.yaml': many(500) })).subarray(0, 5_000)), 400, /cut off/],
    ['paths that climb out of a tar', async () => new Uint8Array(await packed({ '../../etc/one.yaml': many(1) })), 400, /leads out/],
    ['paths that climb out of a zip', () => new Uint8Array(zipSync({ '../one.yaml': strToU8(many(1)) })), 400, /leads out/],
    ['binary rubbish', () => Uint8Array.from({ length: 5_000 }, (_, i) => (i * 7_919 + (i >> 3)) % 256), 400, /no text|Nothing in it/],
    ['another packing', () => new Uint8Array(Buffer.from('425a68393141592653590000', 'hex')), 400, /bzip2/],
    ['nothing at all', () => '', 400, /no objects/],
    ['a wrong name', () => many(1), 400, /name/]
  ])('%s: a clear answer, and nothing is left behind', async (way, body, status, words) => {
    const name = way === 'a wrong name' ? 'Wrong_Name' : 'never';
    const got = await read(name, await body());
    expect(got.status).toBe(status);
    expect(got.body.detail).toMatch(words);
    expect(got.body.remedy.length).toBeGreaterThan(10);
    expect((await call('GET', `/clusters/${name}/dumps`)).status).toBe(404);
  });

  test('one document that is broken leaves the others readable, and its line is told', async () => {
    const { body } = await read('partly', `${many(2)}apiVersion: v1\nkind: [oops\n---\n${small.replace('NAME', 'last')}`);
    expect(body).toMatchObject({ objects: 3, problems: 1 });
    const { body: dumps } = await call<{ items: { summary: { problems: { at: { line: number } }[] } }[] }>('GET', '/clusters/partly/dumps');
    const before = many(2).split('\n').length;
    expect([before + 1, before + 2]).toContain(dumps.items[0]!.summary.problems[0]!.at.line);
  });

  test("a stand-in's name is not taken, a body of another encoding in manifests is told", async () => {
    expect(await read('harbour', many(1))).toMatchObject({ status: 409 });
    expect(await call('POST', '/check', new Uint8Array([0xc3, 0x28, 0xff, 0x00]))).toMatchObject({
      status: 400,
      body: { type: 'urn:root-barn:problem:not-text' }
    });
    expect(
      await call('POST', '/check', new Uint8Array(Buffer.from('\uFEFFapiVersion: v1\nkind: Namespace\nmetadata: {name: a}\n', 'utf16le')))
    ).toMatchObject({ status: 200, body: { findings: [] } });
  });

  test('a body that goes on and on is stopped at the limit', async () => {
    let sent = 0;
    const chunk = bytes('# filler\n'.repeat(120_000));
    const stream = new ReadableStream<Uint8Array>({
      pull(controller) {
        sent += chunk.byteLength;
        controller.enqueue(chunk);
      }
    });
    const response = await dispatch(
      new Request('http://127.0.0.1/api/v1/clusters?name=endless', { method: 'POST', body: stream, duplex: 'half' } as RequestInit),
      '/clusters'
    );
    expect(response.status).toBe(413);
    expect(sent).toBeLessThan(400 * 2 ** 20);
  });
});
