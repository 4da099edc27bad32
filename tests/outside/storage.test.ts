import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { studentT95, trendOf, daysTo } from '$core/sizing';
import { majorityOf, nodesThatFit, prefixSize, rangeFault, rangeHolds, rangesOverlap } from '$core/shared';
import { fileSystemRoom, filePort, Store, volumeFault } from '$core/standin';
import type { Claim, Volume } from '$core/model';
import { objects } from '../core/help';

const gib = 2 ** 30;
const python = (code: string, input: unknown): unknown => {
  const { stdout, status, stderr } = spawnSync('python3', ['-c', code], { input: JSON.stringify(input), encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  return JSON.parse(stdout);
};

describe('address ranges against python3 ipaddress (RFC 4632)', () => {
  const range = fc.tuple(fc.nat(255), fc.nat(255), fc.nat(255), fc.integer({ min: 8, max: 30 })).map(([a, b, c, bits]) => {
    const number = ((a * 256 + b) * 256 + c) * 256;
    const base = number - (number % 2 ** (32 - bits));
    return `${[24, 16, 8, 0].map((shift) => Math.floor(base / 2 ** shift) % 256).join('.')}/${bits}`;
  });
  test('overlap, size and membership agree on random pairs', () => {
    // Half of the pairs are drawn near each other, so that overlaps are common.
    const near = range.chain((one) =>
      fc.tuple(fc.constant(one), fc.oneof(range, fc.constant(`${one.split('/')[0]!.split('.').slice(0, 1).join('.')}.0.0.0/8`)))
    );
    const pairs = fc.sample(near, { numRuns: 300, seed: 5 });
    const said = python(
      'import json,sys,ipaddress as i\nprint(json.dumps([[i.ip_network(a).overlaps(i.ip_network(b)),i.ip_network(a).num_addresses,i.ip_network(b)[0] in i.ip_network(a)] for a,b in json.load(sys.stdin)]))',
      pairs
    );
    expect(pairs.map(([a, b]) => [rangesOverlap(a, b), prefixSize(a), rangeHolds(a, b.split('/')[0]!)])).toEqual(said);
    expect((said as boolean[][]).filter(([overlap]) => overlap).length).toBeGreaterThan(20);
  });
  test('what is no range is refused alike', () => {
    const texts = [
      '10.0.0.0/8',
      '10.0.0.1/8',
      '010.0.0.0/8',
      '10.1/16',
      '10.0.0.0',
      '10.0.0.0/33',
      '10.0.0.0/-1',
      '256.0.0.0/8',
      '10.0.0.0/08',
      '',
      '::/0'
    ];
    const said = python(
      "import json,sys,ipaddress as i\ndef ok(t):\n  try:\n    i.IPv4Network(t); return '/' in t and not t.endswith('/08')\n  except ValueError: return False\nprint(json.dumps([ok(t) for t in json.load(sys.stdin)]))",
      texts
    );
    expect(texts.map((one) => rangeFault(one) === undefined)).toEqual(said);
  });
  test('shares of a /24: 2^(node mask - cluster mask)', () => {
    expect(['10.0.0.0/16', '10.0.0.0/20', '10.0.0.0/24', '10.0.0.0/25'].map(nodesThatFit)).toEqual([256, 16, 1, 0]);
  });
});

describe('ports (IANA, as Debian lists them in /etc/services)', () => {
  test('nfs is 2049 over TCP', () => {
    // Not every machine has the list; the number itself is in RFC 8881 and in the IANA registry.
    const listed = existsSync('/etc/services') ? /^nfs\s+(\d+)\/tcp/m.exec(readFileSync('/etc/services', 'utf8'))?.[1] : '2049';
    expect(filePort).toBe(Number(listed));
  });
});

describe('file systems: mke2fs and xfs defaults, measured with blocks of 4096 bytes', () => {
  test.each([
    ['ext4', 10, 10_464_022_528, 9_910_349_824],
    ['ext4', 100, 105_089_261_568, 99_703_750_656],
    ['xfs', 10, 10_670_309_376, 10_562_068_480],
    ['xfs', 100, 107_307_073_536, 106_525_089_792]
  ])('%s of %i GiB', (fsType, size, measured, available) => {
    const room = fileSystemRoom(fsType, size * gib);
    expect(Math.abs(room.sizeBytes / measured - 1)).toBeLessThan(0.005);
    expect(Math.abs(room.availableBytes / available - 1)).toBeLessThan(0.005);
    // The rule for ext4 is exact: 66,747 blocks of overhead at 10 GiB, 557,842 at 100 GiB.
    if (fsType === 'ext4') expect([room.sizeBytes, room.availableBytes]).toEqual([measured, available]);
  });
  test('a larger device never holds less', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('ext4', 'xfs'),
        fc.integer({ min: 1, max: 4_000 }),
        fc.integer({ min: 1, max: 200 }),
        (fsType, size, more) => {
          const [a, b] = [fileSystemRoom(fsType, size * gib), fileSystemRoom(fsType, (size + more) * gib)];
          return a.availableBytes < b.availableBytes && a.availableBytes < a.sizeBytes && a.sizeBytes < size * gib;
        }
      )
    );
  });
});

describe('quorum (Lamport, Paxos; Ongaro and Ousterhout, Raft 2014)', () => {
  test('two majorities always meet, and an even member buys nothing', () => {
    for (let n = 1; n <= 9; n += 1) expect(2 * majorityOf(n)).toBeGreaterThan(n);
    expect([3, 4, 5, 6].map((n) => n - majorityOf(n))).toEqual([1, 1, 2, 2]);
  });
});

describe("binding, example by example of the cluster API's concept page 'Persistent Volumes'", () => {
  const volume = (spec: string, more = ''): Volume =>
    objects(
      `apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: v${more}}\nspec: {csi: {driver: d.example, volumeHandle: h}, ${spec}}`
    )[0] as Volume;
  const claim = (spec: string): Claim =>
    objects(`apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: c, namespace: n}\nspec: {${spec}}`)[0] as Claim;
  const asks = (storage: string, more = '') =>
    claim(`accessModes: [ReadWriteOnce], storageClassName: "", resources: {requests: {storage: ${storage}}}${more}`);
  const has = (storage: string, more = '') => volume(`capacity: {storage: ${storage}}, accessModes: [ReadWriteOnce]${more}`);
  test.each<[string, Volume, Claim, string | undefined]>([
    ['"a cluster provisioned with many 50Gi PVs would not match a PVC requesting 100Gi"', has('50Gi'), asks('100Gi'), 'size'],
    ['"the user will always get at least what they asked for, but the volume may be in excess"', has('100Gi'), asks('50Gi'), undefined],
    [
      'a PV with several modes answers to a claim for one of them',
      volume('capacity: {storage: 5Gi}, accessModes: [ReadWriteOnce, ReadOnlyMany]'),
      asks('5Gi'),
      undefined
    ],
    [
      '"a PV of a particular class can only be bound to PVCs requesting that class"',
      has('5Gi', ', storageClassName: slow'),
      asks('5Gi'),
      'class'
    ],
    ['volume modes: Block and Filesystem do not bind', has('5Gi', ', volumeMode: Block'), asks('5Gi'), 'mode'],
    ['volume modes: unspecified is Filesystem', has('5Gi', ', volumeMode: Filesystem'), asks('5Gi'), undefined],
    ['"if you want a PVC to bind to a specific PV": volumeName', has('5Gi'), asks('5Gi', ', volumeName: other'), 'pinned'],
    ['"this prevents other PVCs from binding": claimRef', has('5Gi', ', claimRef: {namespace: n, name: other}'), asks('5Gi'), 'claimed'],
    ['claimRef of this claim', has('5Gi', ', claimRef: {namespace: n, name: c}'), asks('5Gi'), undefined],
    [
      'selector: "only the volumes whose labels match the selector can be bound"',
      has('5Gi'),
      asks('5Gi', ', selector: {matchLabels: {release: stable}}'),
      'selector'
    ]
  ])('%s', (_, pv, pvc, fault) => expect(volumeFault(new Store(false), pv, pvc)).toBe(fault));
});

describe('least squares and its interval', () => {
  test("Student's t, two-sided 95 %, against scipy where it is, else the tables", () => {
    const freedoms = [1, 5, 20, 29, 30, 60, 120, 1_000];
    const found = spawnSync(
      'python3',
      ['-c', `import json\nfrom scipy.stats import t\nprint(json.dumps([float(t.ppf(.975,f)) for f in ${JSON.stringify(freedoms)}]))`],
      { encoding: 'utf8' }
    );
    const wanted = found.status === 0 ? (JSON.parse(found.stdout) as number[]) : [12.706, 2.571, 2.086, 2.045, 2.042, 2, 1.98, 1.962];
    freedoms.forEach((one, i) => expect(Math.abs(studentT95(one) - wanted[i]!)).toBeLessThan(0.002));
  });
  test('a line that is straight is found, with no doubt; numbers worked out by hand', () => {
    const day = 86_400_000;
    const trend = trendOf([0, 1, 2, 3].map((d) => ({ atMs: d * day, bytes: 10 + 2 * d })))!;
    expect(trend.bytesPerDay).toBeCloseTo(2, 12);
    expect(trend.plusMinus).toBeCloseTo(0, 9);
    expect(daysTo(trend, 30).map((one) => [one.share, Number(one.days.toFixed(6))])).toEqual([
      [0.8, 4],
      [0.9, 5.5],
      [1, 7]
    ]);
    // Anscombe (1973), first set: slope 0.5000909, standard error 0.1179055, t(9) = 2.262.
    const xs = [10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5];
    const ys = [8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68];
    const anscombe = trendOf(xs.map((x, i) => ({ atMs: x * day, bytes: ys[i]! })))!;
    expect(anscombe.bytesPerDay).toBeCloseTo(0.5000909, 6);
    expect(anscombe.plusMinus).toBeCloseTo(2.262 * 0.1179055, 5);
  });
});
