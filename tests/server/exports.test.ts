import { gzipSync } from 'node:zlib';
import { zipSync } from 'fflate';
import { describe, expect, test } from 'vitest';
import { stringify } from 'yaml';
import { Cutter } from '$core/dumps';
import { sumOf } from '$server/db/sums';
import { healthy, type Export } from '../fixtures/exports/cluster';
import { container, unplaced } from '../fixtures/exports/states';
import { call, packed, read, type Line } from './call';

describe('archives that unfold to far more than they are', () => {
  /** How far the memory of this process rises while something is done. */
  async function riseOf(work: () => Promise<unknown>): Promise<number> {
    const before = process.memoryUsage().rss;
    let most = before;
    const watch = setInterval(() => (most = Math.max(most, process.memoryUsage().rss)), 5);
    await work();
    clearInterval(watch);
    return (Math.max(most, process.memoryUsage().rss) - before) / 2 ** 20;
  }
  const large = Buffer.alloc(200 * 2 ** 20, '# nothing\n');

  test.each([
    ['a zip', () => zipSync({ 'one.yaml': large }, { level: 6 })],
    ['a gzip', () => gzipSync(large)],
    ['a gzip of JSON', () => gzipSync(Buffer.concat([Buffer.from('[{"a":"'), Buffer.alloc(200 * 2 ** 20, 'x')]))],
    ['a tar of what is left out', async () => gzipSync(await packed({ 'core.bin': 'x'.repeat(200 * 2 ** 20) }))]
  ])(
    '%s is refused, and little of it is held',
    async (way, pack) => {
      const body = new Uint8Array(await pack());
      const kept = { status: 0 };
      const rise = await riseOf(async () => (kept.status = (await read(`bomb-${way.length}`, body)).status));
      expect(kept.status).toBe(413);
      expect(rise).toBeLessThan(300);
    },
    60_000
  );

  test('a text that never ends a document is joined once, however it arrives', () => {
    // Counts the letters that are copied when what waits is put together.
    const copied = (text: string) => {
      const cutter = new Cutter();
      let letters = 0;
      const join = Array.prototype.join;
      Array.prototype.join = function (this: string[], by?: string) {
        const joined = join.call(this, by) as string;
        letters += joined.length;
        return joined;
      };
      try {
        for (let at = 0; at < text.length; at += 1_000) cutter.push(text.slice(at, at + 1_000));
        cutter.end();
      } finally {
        Array.prototype.join = join;
      }
      return letters;
    };
    for (const text of ['x'.repeat(400_000), ' '.repeat(400_000), '# nothing\n'.repeat(40_000)])
      expect(copied(text)).toBeLessThan(3 * 400_000);
  });
});

describe('an export with what is wrong in it', () => {
  const yaml = (to: Export) => to.docs.map((one) => stringify(one)).join('---\n');
  const broken = () => {
    const to = healthy();
    container(
      to,
      1,
      { waiting: { reason: 'CrashLoopBackOff', message: 'back-off' } },
      { before: { exitCode: 1, reason: 'Error' }, restarts: 6 }
    );
    unplaced(to, 2, 'pod has unbound immediate PersistentVolumeClaims');
    return to.dropKinds('StorageClass', 'Event');
  };
  type View = { items: { joint: string; count: number; waits: { name: string }[] }[]; unseen: { ref: { name: string } }[] };
  const wrong = async () => (await call<View>('GET', '/clusters/real-ledger/wrong')).body;

  test('causes with who waits; a correction of the reach changes them, is kept, and can be taken back', async () => {
    await read('real-ledger', yaml(broken()));
    expect((await wrong()).items.map((one) => [one.joint, one.waits.map((two) => two.name)])).toEqual([
      ['start', ['ledger-1']],
      ['claim', ['ledger-2']]
    ]);
    const scope = await call<{ items: { kind: string; namespace: string; reach: string }[] }>('GET', '/clusters/real-ledger/scope');
    expect(scope.body.items.find((one) => one.kind === 'StorageClass')).toMatchObject({ reach: 'left-out', count: 0 });
    const put = (items: unknown) => call<{ items: { kind: string; reach: string }[] }>('PUT', '/clusters/real-ledger/scope', { items });
    expect(
      (await put([{ kind: 'StorageClass', namespace: '', reach: 'contained' }])).body.items.find((one) => one.kind === 'StorageClass')
    ).toMatchObject({ reach: 'contained' });
    expect((await wrong()).items.map((one) => one.joint)).toEqual(['class', 'start']);
    expect(
      (await call<{ items: { corrections: unknown[] }[] }>('GET', '/clusters/real-ledger/dumps')).body.items[0]!.corrections
    ).toHaveLength(1);
    expect((await put([{ kind: 'StorageClass', reach: 'perhaps' }])).status).toBe(400);
    await put([]);
    expect((await wrong()).items.map((one) => one.joint)).toEqual(['start', 'claim']);
  });

  test('a log that lies beside the objects is evidence of its container', async () => {
    const log = `${'older line\n'.repeat(3_000)}panic: the journal of ledger-1 is torn\n`;
    await read(
      'real-logs',
      await packed({
        'objects.yaml': yaml(broken()),
        'logs/ledger-prod/ledger-1/ledger.log': log,
        'logs/ledger-prod/ledger-0/ledger.log': 'fine\n'
      })
    );
    const { body } = await call<Line>('GET', '/rehearsals/real-logs/root-line?kind=Pod&namespace=ledger-prod&name=ledger-1');
    const start = body.joints.find((one) => one.joint === 'start')!;
    expect(start.evidence.map((one) => one.value ?? '').join()).toContain('panic: the journal of ledger-1 is torn');
    expect(JSON.stringify(start.evidence).length).toBeLessThan(9_000);
  });

  test('lines of kinds that only exports have', async () => {
    for (const [kind, name] of [
      ['Deployment', 'desk'],
      ['Service', 'ledger-read'],
      ['DaemonSet', 'quarry-node'],
      ['Node', 'node-1']
    ] as const) {
      const namespace = kind === 'Node' ? '' : kind === 'DaemonSet' ? 'quarry-system' : 'ledger-prod';
      expect(
        (await call<Line>('GET', `/rehearsals/real-ledger/root-line?kind=${kind}&namespace=${namespace}&name=${name}`)).body
      ).toMatchObject({ firstBreak: null });
    }
  });

  test('a cluster that was not read has no such thing', async () => {
    for (const path of ['wrong', 'scope']) expect((await call('GET', `/clusters/north-quay/${path}`)).status).toBe(404);
    expect((await call<{ items: unknown[] }>('GET', '/readings')).status).toBe(200);
  });
});

test('a cluster that an earlier version gave is taken in with what that one took; of this version it is looked over as if it were sent', async () => {
  interface Given {
    engine: string;
    sum?: string;
    rehearsals: { actions: { atMs: number; action: { type: string; objects?: { kind: string; spec?: { ports?: unknown } }[] } }[] }[];
  }
  const { body: given } = await call<Given>('GET', '/clusters/south-quay/export');
  let emptied = 0;
  for (const { action } of given.rehearsals.flatMap((one) => one.actions))
    for (const one of action.objects ?? [])
      if (one.kind === 'Service') {
        // A service without ports: taken by earlier versions, refused by the cluster API.
        one.spec = { ...one.spec, ports: [], clusterIP: undefined } as typeof one.spec;
        emptied += 1;
      }
  expect(emptied).toBeGreaterThan(0);
  const sealed = ({ sum: _, ...rest }: Given & { sum?: string }) => ({ ...rest, sum: sumOf(JSON.stringify(rest)) });
  const put = (name: string, one: Given) => call<{ detail: string }>('POST', `/clusters/import?name=${name}`, sealed(one));
  expect(await put('now-quay', given)).toMatchObject({
    status: 400,
    body: { detail: expect.stringContaining('spec.ports is empty') as string }
  });
  expect(await put('then-quay', { ...given, engine: '8' })).toMatchObject({ status: 201 });
});
