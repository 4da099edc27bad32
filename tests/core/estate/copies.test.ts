import { describe, expect, test } from 'vitest';
import { judgeBackup, roomAhead } from '$core/backups';
import { rootLine } from '$core/rootline';
import { Estate, type Action, type World } from '$core/standin';
import type { AskObject, BackupPlan, Facts, KindMap } from '$core/model';
import { answered } from '../roomy';
import { acted, joins, Linked, parts } from './help';

const space = { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'space' } } as const;
const steady = { class: 'steady', namespace: 'space' };

/** A database in the east, and an object store in the west; the first has a plan that copies into the second. */
class Barns extends Linked {
  constructor(
    private readonly wish: { readonly link?: object; readonly plan?: string } = {},
    bucket = true
  ) {
    const sent = (atMs: number, ...all: readonly object[]) => ({ atMs, action: { type: 'send', objects: all } as Action });
    const link = wish.link ?? {};
    const estate = Estate.replay(
      parts(
        {
          east: [
            joins(60_000, 'west', link),
            sent(61_000, space),
            sent(62_000, ...answered('primary-standby-sql', { ...steady, name: 'one', synchronous: '1' }))
          ],
          west: [sent(61_000, space), sent(62_000, ...answered('object-store', { ...steady, name: 'shed' }))]
        },
        { west: 'production' }
      ),
      62_000
    );
    estate.runSettled();
    super(estate);
    if (bucket) expect(this.ask('west', 'shed', { do: 'make-bucket', place: 'copies' }).outcome).toBe('acknowledged');
    this.send(
      `apiVersion: standin.example/v1\nkind: BackupPlan\nmetadata: {name: nightly, namespace: space}\nspec: {workload: one, schedule: "0 3 * * *", ${wish.plan ?? 'how: copy'}, into: {cluster: west, namespace: space, store: shed, bucket: copies}}\n`
    );
  }
  get east(): World {
    return this.world('east');
  }
  write = (key: string) =>
    expect(this.ask('east', 'one', { do: 'write', place: 'seats', key, value: key })).toMatchObject({ outcome: 'acknowledged' });
  /** Begins a run or a return and gives how it ended, and how long it took. */
  ended<K extends 'BackupRun' | 'BackupReturn'>(kind: K, name: string, spec = 'plan: nightly') {
    this.send(`apiVersion: standin.example/v1\nkind: ${kind}\nmetadata: {name: ${name}, namespace: space}\nspec: {${spec}}\n`);
    for (let n = 0; n < 400; n += 1) {
      const { status } = this.east.store.get(kind, 'space', name)!;
      if (status?.phase === 'Done' || status?.phase === 'Failed') return status as NonNullable<KindMap[K]['status']>;
      this.later(2_000);
    }
    throw new Error(`${name} never ended`);
  }
  /** What the store is asked for by plans of the other cluster. */
  get askedOver(): AskObject[] {
    return this.world('west')
      .store.list('Ask')
      .filter((one) => !/^b[0-9]+$/.test(one.metadata.name));
  }
  get plan(): BackupPlan {
    return this.east.store.get('BackupPlan', 'space', 'nightly')!;
  }
  finding = (id: string) => judgeBackup(this.east.store as Facts, 'space', 'one', [this.plan]).find((one) => one.id === id);
}

describe('copies into a store of a linked cluster', () => {
  test('a copy lies over there, comes back from there, and old ones are taken away there', () => {
    const barns = new Barns({ plan: 'how: copy, keep: {newest: 1, days: 0, weeks: 0, months: 0}' });
    barns.write('a');
    expect(barns.ended('BackupRun', 'first')).toMatchObject({ phase: 'Done', into: { cluster: 'west', store: 'shed' } });
    expect(barns.ask('west', 'shed', { do: 'list', place: 'copies' }).rows!.map(([key]) => key)).toEqual(['east/space.nightly/copy-first']);
    expect(barns.finding('other-cluster')).toMatchObject({ state: 'holds' });
    expect(barns.finding('same-cluster')).toBeUndefined();
    // What the far store holds is seen, so the room that copies take can be judged.
    expect(roomAhead(barns.east.store as Facts, barns.plan).storeBytes).toBeGreaterThan(2 ** 30);

    barns.write('b');
    expect(barns.ended('BackupReturn', 'back', 'plan: nightly, into: one, over: true')).toMatchObject({ phase: 'Done' });
    expect(barns.ask('east', 'one', { do: 'list', place: 'seats' }).rows!.map(([key]) => key)).toEqual(['a']);

    barns.ended('BackupRun', 'second');
    barns.later(60_000);
    expect(barns.ask('west', 'shed', { do: 'list', place: 'copies' }).rows!.map(([key]) => key)).toEqual([
      'east/space.nightly/copy-second'
    ]);
    // Nobody is left with an ask of somebody else.
    expect(barns.askedOver).toEqual([]);
  });

  test('what a plan of one cluster copied is put back in another, also when its bucket lies there; not past a link that is cut', () => {
    const barns = new Barns();
    barns.write('a');
    barns.ended('BackupRun', 'first');
    acted(barns.world('west'), { type: 'send', objects: answered('primary-standby-sql', { ...steady, name: 'two' }) });
    barns.later(300_000);
    const put = (name: string) => {
      barns.send(
        `apiVersion: standin.example/v1\nkind: BackupReturn\nmetadata: {name: ${name}, namespace: space}\nspec: {plan: nightly, cluster: east, into: two, over: true}\n`,
        'west'
      );
      barns.later(60_000);
      return barns.world('west').store.get('BackupReturn', 'space', name)!.status;
    };
    expect(put('here')).toMatchObject({ phase: 'Done', run: 'first' });
    expect(barns.ask('west', 'two', { do: 'list', place: 'seats' }).rows).toEqual([['a', 'a']]);
    barns.send('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: west, is: cut}]}\n');
    expect(put('cut')).toMatchObject({
      phase: 'Failed',
      says: 'the plan nightly of east is out of reach: the link east.west is cut (cut)',
      at: { kind: 'Link' }
    });
  });

  test('a link that is cut, deaf or without names fails the run, says so, and the next one goes', () => {
    const barns = new Barns();
    barns.write('a');
    const cases = [
      ['cut', 'is cut'],
      ['one-way', 'no answer comes back'],
      ['nameless', "aren't found"]
    ] as const;
    for (const [is, words] of cases) {
      barns.send(`apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: trouble}\nspec: {links: [{to: west, is: ${is}}]}\n`);
      const failed = barns.ended('BackupRun', `with-${is}`);
      expect(failed).toMatchObject({ phase: 'Failed', at: { kind: 'Link' } });
      expect(failed.says).toContain(words);
      barns.remove({ kind: 'Outage', namespace: '', name: 'trouble' });
      expect(barns.ended('BackupRun', `after-${is}`)).toMatchObject({ phase: 'Done' });
    }
  });

  test('the root line of the plan leads to the end of the link, and where the link holds, to the store over there', () => {
    const barns = new Barns();
    const line = () => {
      const found = rootLine(barns.east.store, { kind: 'BackupPlan', namespace: 'space', name: 'nightly' })!;
      return { found, broken: found.joints.find((one) => one.state === 'broken') };
    };
    const [end] = barns.world('west').store.list('Link');
    barns.send(
      JSON.stringify({
        ...end,
        metadata: { name: end!.metadata.name },
        spec: { ...end!.spec, carries: { names: true, addresses: false } }
      }),
      'west'
    );
    barns.ended('BackupRun', 'first');
    const { broken } = line();
    expect(broken).toMatchObject({ joint: 'copies', remedy: { in: 'west' } });
    acted(barns.world('west'), { type: 'send', objects: broken!.remedy!.manifests! });
    expect(barns.ended('BackupRun', 'second')).toMatchObject({ phase: 'Done' });
    expect(line().broken).toBeUndefined();

    const nodes = barns
      .world('west')
      .store.list('Node')
      .map((one) => one.metadata.name);
    barns.send(`apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: dark}\nspec: {dark: [${nodes.join(', ')}]}\n`, 'west');
    barns.later(600_000);
    expect(barns.ended('BackupRun', 'third').says).toContain('of west runs');
    const { found } = line();
    expect(found.trunks.map((one) => one.cluster)).toContain('west');
    const said = found.joints.find((one) => one.joint === 'copies')!;
    expect(said.state).toBe('broken');
    expect(said.cluster).toBeUndefined();
  });

  test('a link cut while a copy is carried breaks that copy; its ask is taken away', () => {
    const barns = new Barns({ link: { bytesPerSecond: 1 } });
    barns.write('a');
    barns.send(`apiVersion: standin.example/v1\nkind: BackupRun\nmetadata: {name: first, namespace: space}\nspec: {plan: nightly}\n`);
    barns.later(6_000);
    expect(barns.east.store.get('BackupRun', 'space', 'first')!.status?.phase).toBe('Running');
    barns.send('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: trouble}\nspec: {links: [{to: west, is: cut}]}\n');
    for (let n = 0; n < 200 && barns.east.store.get('BackupRun', 'space', 'first')!.status?.phase === 'Running'; n += 1) barns.later(5_000);
    expect(barns.east.store.get('BackupRun', 'space', 'first')!.status).toMatchObject({ phase: 'Failed', at: { kind: 'Link' } });
    barns.remove({ kind: 'Outage', namespace: '', name: 'trouble' });
    barns.later(60_000);
    expect(barns.ask('west', 'shed', { do: 'list', place: 'copies' }).rows).toEqual([]);
    expect(barns.askedOver).toEqual([]);
  });

  test('the log goes over the link too, and a link that is narrow takes its time', () => {
    const barns = new Barns({ plan: 'how: copy-and-log, logEverySeconds: 30' });
    barns.write('a');
    const wide = barns.ended('BackupRun', 'first');
    barns.write('b');
    barns.later(90_000);
    const reached = barns.plan.status?.pieces?.at(-1)?.toMs ?? 0;
    expect(reached).toBeGreaterThan(wide.momentMs!);
    expect(barns.ended('BackupReturn', 'back', 'plan: nightly, into: one, over: true')).toMatchObject({ phase: 'Done' });
    expect(barns.ask('east', 'one', { do: 'list', place: 'seats' }).rows!.map(([key]) => key)).toEqual(['a', 'b']);

    const narrow = new Barns({ link: { bytesPerSecond: 1 } });
    narrow.write('a');
    const took = (one: { beganMs: number; endedMs?: number | undefined }) => one.endedMs! - one.beganMs;
    // At a byte a second a copy takes at least 0.8 of its bytes in seconds.
    const slow = narrow.ended('BackupRun', 'first');
    expect(took(slow)).toBeGreaterThan(800 * slow.bytes!);
    expect(took(wide)).toBeLessThan(800 * slow.bytes!);
    expect(took(narrow.ended('BackupReturn', 'back', 'plan: nightly, into: one, over: true'))).toBeGreaterThan(800 * slow.bytes!);
  });

  test('a store that is no store, no cluster, and a store without the bucket are told apart', () => {
    const bare = new Barns({}, false);
    expect(bare.ended('BackupRun', 'first').remedy).toContain('Make the bucket copies');
    const named = (cluster: string, store: string, name: string) => {
      bare.send(
        `apiVersion: standin.example/v1\nkind: BackupPlan\nmetadata: {name: ${name}, namespace: space}\nspec: {workload: one, schedule: "0 3 * * *", how: copy, into: {cluster: ${cluster}, namespace: space, store: ${store}, bucket: copies}}\n`
      );
      return bare.ended('BackupRun', `of-${name}`, `plan: ${name}`).says;
    };
    expect(named('west', 'nothing', 'wrong')).toContain('nothing of the store space/nothing of west runs');
    expect(named('nowhere', 'shed', 'lost')).toContain("isn't linked with a cluster nowhere");
    expect(named('east', 'one', 'own')).toContain('would copy its own copies');
  });

  test('plans of all clusters fill one store, and those into other stores do not', () => {
    const barns = new Barns();
    acted(barns.world('west'), { type: 'send', objects: answered('primary-standby-sql', { ...steady, name: 'two', synchronous: '1' }) });
    barns.estate.runSettled();
    barns.write('a');
    barns.ended('BackupRun', 'first');
    const others = () => roomAhead(barns.east.store as Facts, barns.plan).othersBytes;
    const planned = (name: string, workload: string, into: string) =>
      `apiVersion: standin.example/v1\nkind: BackupPlan\nmetadata: {name: ${name}, namespace: space}\nspec: {workload: ${workload}, schedule: "0 3 * * *", how: copy, into: {${into}namespace: space, store: shed, bucket: copies}}\n`;
    const runOf = (name: string) =>
      `apiVersion: standin.example/v1\nkind: BackupRun\nmetadata: {name: of-${name}, namespace: space}\nspec: {plan: ${name}}\n`;
    // One into a store of the same name here, which holds nothing of theirs.
    barns.send(planned('beside', 'one', 'cluster: west, '));
    barns.send(runOf('beside'));
    barns.later(30_000);
    expect(others()).toBeGreaterThan(0);
    barns.send(planned('beside', 'one', ''));
    expect(others()).toBe(0);
    barns.send(planned('over-there', 'two', ''), 'west');
    barns.send(runOf('over-there'), 'west');
    barns.later(30_000);
    const { bytes = 0 } = barns.world('west').store.get('BackupRun', 'space', 'of-over-there')!.status!;
    expect(bytes).toBeGreaterThan(0);
    // As many as the rule keeps, each as heavy as the last.
    expect(others()).toBeGreaterThanOrEqual(bytes);
    expect(others() % bytes).toBe(0);
  });

  test('a run that is taken away takes its ask over there with it', () => {
    const barns = new Barns();
    barns.write('a');
    const sheds = barns
      .world('west')
      .store.list('Pod', 'space')
      .map((one) => `{namespace: space, pod: ${one.metadata.name}}`);
    barns.send(`apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: away}\nspec: {hangs: [${sheds.join(', ')}]}\n`, 'west');
    barns.send('apiVersion: standin.example/v1\nkind: BackupRun\nmetadata: {name: first, namespace: space}\nspec: {plan: nightly}\n');
    for (let n = 0; n < 100 && !barns.askedOver.length; n += 1) barns.later(100);
    expect(barns.askedOver).toHaveLength(1);
    barns.remove({ kind: 'BackupRun', namespace: 'space', name: 'first' });
    barns.later(5_000);
    expect(barns.askedOver).toEqual([]);
  });

  test('with the whole cluster lost what it copied before is still over there', () => {
    const barns = new Barns();
    barns.write('a');
    barns.ended('BackupRun', 'first');
    const nodes = barns.east.store.list('Node').map((one) => one.metadata.name);
    barns.send(`apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: dark}\nspec: {dark: [${nodes.join(', ')}]}\n`);
    barns.later(600_000);
    expect(barns.ask('west', 'shed', { do: 'list', place: 'copies' }).rows!.map(([key]) => key)).toEqual(['east/space.nightly/copy-first']);
  });
});
