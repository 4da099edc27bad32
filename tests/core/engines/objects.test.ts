import { describe, expect, it } from 'vitest';
import { ObjectStore } from '$core/standin/engines/objects';
import { unevenOf } from '$core/standin/engines/objects/drives';
import { storeLayout } from '$core/standin/engines/objects/layout';
import { Bench, luck } from './bench';
import { seeds } from './seeds';

function store(seed: number, members: number, volumes: number, parity: number) {
  const ids = Array.from({ length: members }, (_, i) => `o-${i}`);
  const bench = new Bench(new ObjectStore(parity), ids, seed);
  bench.volumes = volumes;
  bench.start(...ids);
  let n = 0;
  const ask = (op: Parameters<Bench['ask']>[0]['op'], member?: string) => {
    const id = `a${n++}`;
    bench.ask({ id, op, ...(member === undefined ? {} : { member }) });
    bench.run(3_000);
    return bench.answers.get(id);
  };
  return { bench, ids, ask };
}
const wipe = (bench: Bench, id: string, volumes: number) => {
  bench.crash(id);
  for (let nth = 0; nth < volumes; nth += 1) bench.stored.delete(nth ? `${id}#${nth}` : id);
};

/** Worked by hand, 50 GiB to a volume: raw = members x volumes x 50; usable = raw x (members - parity) / members. */
const table = [
  // members, volumes each, parity | volumes, raw GiB, usable GiB, members that may be lost, the same while writing
  [4, 1, 0, 4, 200, 200, 0, 0],
  [4, 1, 1, 4, 200, 150, 1, 1],
  [4, 1, 2, 4, 200, 100, 2, 1],
  [4, 2, 0, 8, 400, 400, 0, 0],
  [4, 2, 1, 8, 400, 300, 1, 1],
  [4, 2, 2, 8, 400, 200, 2, 1],
  [4, 4, 0, 16, 800, 800, 0, 0],
  [4, 4, 1, 16, 800, 600, 1, 1],
  [4, 4, 2, 16, 800, 400, 2, 1],
  [5, 2, 1, 10, 500, 400, 1, 1],
  [5, 2, 2, 10, 500, 300, 2, 2]
] as const;

it('two volumes differ in objects of which they hold another version, or one of them none', () => {
  const shard = (version: number, by = 'o-0') => ({ version, by, bytes: 1 }) as never;
  const whole = { a: shard(1), b: shard(2) };
  expect(unevenOf(whole, { ...whole })).toEqual([]);
  expect(unevenOf(whole, { a: shard(1), b: shard(3), c: shard(1) })).toEqual(['b', 'c']);
  expect(unevenOf({ ...whole, d: shard(1) }, { a: shard(1, 'o-1'), b: shard(2) })).toEqual(['a', 'd']);
});

describe('an object store', () => {
  it.each(table)(
    '%i members of %i volumes, parity %i: %i volumes, %i GiB raw, %i usable',
    (members, each, parity, volumes, raw, usable, may, writable) => {
      const gib = 2 ** 30;
      const found = storeLayout(members, each, 50 * gib, parity);
      expect(found).toMatchObject({
        volumes,
        rawBytes: raw * gib,
        usableBytes: usable * gib,
        losableMembers: may,
        writableWithoutMembers: writable
      });
      const { bench, ids, ask } = store(1, members, each, parity);
      expect(ask({ do: 'make-bucket', place: 'cargo-papers' })?.outcome).toBe('acknowledged');
      const sums = [1, 1_024, 100_000, 3_000_001].map((bytes) => ask({ do: 'put', place: 'cargo-papers', key: `k${bytes}`, bytes })!);
      expect(sums.map((one) => one.outcome)).toEqual(Array(4).fill('acknowledged'));
      const read = () =>
        [1, 1_024, 100_000, 3_000_001].map((bytes) => ask({ do: 'get', place: 'cargo-papers', key: `k${bytes}` }, ids.at(-1))!);
      for (let lost = 0; lost <= may; lost += 1) {
        if (lost) wipe(bench, ids[lost - 1]!, each);
        expect(
          read().map((one) => one.checksum),
          `${lost} lost`
        ).toEqual(sums.map((one) => one.checksum));
        const wrote = ask({ do: 'put', place: 'cargo-papers', key: `late${lost}`, value: 'x' }, ids.at(-1));
        expect(wrote?.outcome, `write with ${lost} lost: ${wrote?.says}`).toBe(lost <= writable ? 'acknowledged' : 'refused');
      }
      wipe(bench, ids[may]!, each);
      expect(read().every((one) => one.outcome === 'refused')).toBe(true);
      // With too few volumes to tell, nothing is said to be missing.
      for (const op of [
        { do: 'put', place: 'cargo-papers', key: 'x', value: 'x' },
        { do: 'make-bucket', place: 'cargo-papers' },
        { do: 'list' }
      ]) {
        const got = ask(op, ids.at(-1))!;
        expect([got.outcome, got.says]).toEqual(['refused', expect.stringMatching(/volumes answer, \d+ are needed to/)]);
      }
    }
  );

  it('heals a volume that comes back empty, and then survives the next loss', () => {
    const { bench, ids, ask } = store(3, 4, 2, 1);
    ask({ do: 'make-bucket', place: 'papers' });
    const { checksum } = ask({ do: 'put', place: 'papers', key: 'a', bytes: 50_000 })!;
    for (const id of ids) {
      wipe(bench, id, 2);
      bench.start(id);
      bench.run(20_000);
    }
    expect(ask({ do: 'health' })!.rows!.every(([, says]) => says === 'whole')).toBe(true);
    expect(ask({ do: 'get', place: 'papers', key: 'a' })!.checksum).toBe(checksum);
  });

  it('many seeds of faults: what was acknowledged is read again, the newest version and no other, and nothing is accepted without a quorum', () => {
    const bad: string[] = [];
    let acknowledged = 0;
    for (let seed = 1; seed <= seeds && !bad.length; seed += 1) {
      const { bench, ids } = store(seed, 4, 1, 1 + (seed % 2));
      const { chance, int, one } = luck(seed);
      bench.ask({ id: 'bucket', op: { do: 'make-bucket', place: 'papers' } });
      bench.run(100);
      const quorum = seed % 2 ? 3 : 3;
      // One writer for each key, who goes on once it has an answer: then the last acknowledged version, or a later one, is what must be read.
      const versions = new Map<string, { acked: number; sent: number }>();
      bench.answered = (ask, { outcome, version }) => {
        if (outcome !== 'acknowledged' || !ask.startsWith('p')) return;
        const key = `k${ask.split('-')[1]}`;
        versions.set(key, { ...versions.get(key)!, acked: Number(ask.split('-')[2]) });
        const holders = ids.filter((id) => {
          const drive = bench.disk<{ shards: Record<string, { by: string; version: number }> }>(id);
          return (drive?.shards[`papers/${key}`]?.version ?? 0) >= version!;
        });
        if (holders.length < quorum) bad.push(`seed ${seed}: ${ask} accepted with ${holders.length}`);
        acknowledged += 1;
      };
      for (let round = 0; round < 14; round += 1) {
        const roll = chance();
        if (roll < 0.3) bench.crash(one(ids));
        else if (roll < 0.6) for (const id of ids.filter((id) => !bench.up(id)).slice(0, 2)) bench.start(id);
        else if (roll < 0.7) bench.cut(ids.slice(0, int(1, 3)), ids.slice(3));
        else if (roll < 0.85) bench.cut();
        for (let i = int(0, 2); i > 0; i -= 1) {
          const k = int(0, 2);
          const known = versions.get(`k${k}`) ?? { acked: -1, sent: -1 };
          const id = `p-${k}-${known.sent + 1}`;
          versions.set(`k${k}`, { ...known, sent: known.sent + 1 });
          bench.ask({ id, member: one(ids), op: { do: 'put', place: 'papers', key: `k${k}`, value: `${known.sent + 1}` } });
          if (chance() < 0.6) bench.run(50);
        }
        bench.run(int(1, 4_000));
      }
      bench.cut();
      bench.start(...ids);
      bench.run(30_000);
      for (const [key, { acked, sent }] of versions) {
        if (acked < 0) continue;
        bench.ask({ id: `g-${key}`, op: { do: 'get', place: 'papers', key } });
        bench.run(100);
        const got = bench.answers.get(`g-${key}`);
        const ok = Array.from({ length: sent - acked + 1 }, (_, i) => `${acked + i}`);
        const read = bench.stored.get('o-0') as { shards: Record<string, { by: string }> };
        const version = Number(read.shards[`papers/${key}`]?.by.split('-')[2]);
        if (got?.outcome !== 'acknowledged' || !got.checksum || !ok.includes(`${version}`))
          bad.push(`seed ${seed}: ${key}: ${got?.says}, version ${version}, acknowledged ${acked} of ${sent}`);
      }
    }
    expect(bad).toEqual([]);
    expect(acknowledged).toBeGreaterThan(2.5 * seeds);
  });

  it('nothing is put into a bucket that is not there, dropped from it or listed; once it is made, it is', () => {
    const { ask } = store(4, 4, 1, 1);
    for (const op of ['put', 'drop', 'list'] as const)
      expect(ask({ do: op, place: 'crates', key: 'a' }), op).toMatchObject({ outcome: 'refused', says: 'there is no bucket crates' });
    expect(ask({ do: 'make-bucket', place: 'crates' })).toMatchObject({ outcome: 'acknowledged' });
    expect(ask({ do: 'put', place: 'crates', key: 'a' })).toMatchObject({ outcome: 'acknowledged' });
    expect(ask({ do: 'list', place: 'crates' })).toMatchObject({ outcome: 'acknowledged', count: 1 });
    expect(ask({ do: 'drop', place: 'crates' })).toMatchObject({ outcome: 'acknowledged', says: '1 object of crates deleted' });
  });
});
