import { shown } from './written';
import type { Calculation, Values } from './types';

/**
 * Erlang's C: the chance that all of c servers are busy when somebody comes. Source: Erlang 1917; worked out by the recursion of Erlang's B,
 * B(0) = 1, B(k) = aB(k-1) / (k + aB(k-1)).
 * @param servers 1 or more
 * @param load offered, in servers (arrivals a second times seconds each); 1 or above where it is not below the servers
 */
export function erlangC(servers: number, load: number): number {
  if (load >= servers) return 1;
  let blocked = 1;
  for (let k = 1; k <= servers; k += 1) blocked = (load * blocked) / (k + load * blocked);
  return blocked / (1 - (load / servers) * (1 - blocked));
}

const gib = 2 ** 30;
const card = (v: Values) => ({
  iops: Math.min(v.most!, Math.max(v.base!, v.perGib! * (v.size! / gib))),
  flow: v.flow!
});

const ceilings = (v: Values): readonly (readonly [name: string, iops: number])[] => {
  const { iops, flow } = card(v);
  return [
    ['what is in flight', v.flight! / v.latency!],
    ['the volume’s operations', iops],
    ['the volume’s bytes', flow / v.block!],
    ['the node’s operations', v.nodeIops!],
    ['the node’s bytes', v.nodeFlow! / v.block!]
  ];
};
const lowest = (v: Values) => ceilings(v).reduce((least, one) => (one[1] < least[1] ? one : least));

/** Above this share of a ceiling waiting grows quickly. Common practice, no source. */
const busy = 0.7;

/** The size of a volume whose operations would be used to that share; NaN where they are not what is short, or no size gives as much. */
function needs(v: Values, iops: number): number {
  const wanted = v.asked! / busy;
  const others = Math.min(v.most!, ...ceilings({ ...v, base: Infinity, most: Infinity }).map((one) => one[1]));
  return wanted > iops && wanted <= others && v.perGib! > 0 ? (wanted / v.perGib!) * gib : NaN;
}

function figures(v: Values) {
  const { iops, flow } = card(v);
  const [, ceiling] = lowest(v);
  const used = v.asked! / ceiling;
  // As many are served side by side as keep the ceiling busy.
  const servers = Math.max(1, Math.round(ceiling * v.latency!));
  const each = servers / ceiling;
  const load = v.asked! * each;
  const wait = used >= 1 ? Infinity : (erlangC(servers, load) * each) / (servers - load);
  const extra = v.asked! - v.base!;
  return {
    ceiling,
    used,
    flow: v.asked! * v.block!,
    volume: iops,
    volumeFlow: flow,
    latency: v.latency! + wait,
    needs: needs(v, iops),
    burst: v.credits === 0 ? NaN : extra > 0 ? v.credits! / extra : Infinity
  };
}

/** Speed: which ceiling is met first, and how latency rises towards it. */
export const speed: Calculation = {
  id: 'speed',
  title: 'Speed of a volume',
  tells: 'which ceiling is met first, and what waiting comes to below it',
  sentence:
    'A workload asks for {asked} operations of {block} with {flight} in flight; one takes {latency} when nobody else asks. Its volume of {size} gives {base} operations a second, {perGib} for each GiB, {most} at most, and {flow}; {credits} operations of credit carry it above its base. The node gives {nodeIops} and {nodeFlow}.',
  slots: [
    { id: 'asked', unit: 'each-second', label: 'Operations a second asked for', start: '2,400', least: 0.001, most: 1e9 },
    { id: 'block', unit: 'bytes', label: 'Bytes of an operation', start: '8 KiB', least: 1, most: 2 ** 30 },
    { id: 'flight', unit: 'count', label: 'Operations in flight', start: '8', least: 1, most: 100_000 },
    { id: 'latency', unit: 'time', label: 'Time of one alone', start: '1 to 2 ms', least: 1e-6, most: 60 },
    { id: 'size', unit: 'bytes', label: 'Size of the volume', start: '200 GiB', least: 2 ** 30, most: 2 ** 50 },
    { id: 'base', unit: 'each-second', label: 'Base of the volume', start: '1,000', least: 1, most: 1e9 },
    { id: 'perGib', unit: 'number', label: 'Operations a second for each GiB', start: '20', least: 0, most: 1e6 },
    { id: 'most', unit: 'each-second', label: 'Most of the volume', start: '9,000', least: 1, most: 1e9 },
    { id: 'flow', unit: 'rate', label: 'Bytes a second of the volume', start: '150 MB/s', least: 1, most: 1e12 },
    { id: 'credits', unit: 'count', label: 'Operations of credit', start: '0', least: 0, most: 1e12 },
    { id: 'nodeIops', unit: 'each-second', label: 'Operations a second of the node', start: '12,000', least: 1, most: 1e9 },
    { id: 'nodeFlow', unit: 'rate', label: 'Bytes a second of the node', start: '400 MB/s', least: 1, most: 1e12 }
  ],
  figures: [
    { id: 'ceiling', unit: 'each-second', label: 'first ceiling' },
    { id: 'used', unit: 'share', label: 'of it asked for' },
    { id: 'latency', unit: 'time', label: 'time of one, waiting included' },
    { id: 'flow', unit: 'rate', label: 'bytes asked for' },
    { id: 'volume', unit: 'each-second', label: 'the volume’s operations' },
    { id: 'volumeFlow', unit: 'rate', label: 'the volume’s bytes' },
    { id: 'needs', unit: 'bytes', label: 'size that gives it easily', note: 'asked for are 70 % of its operations then' },
    { id: 'burst', unit: 'time', label: 'credit is used up after', note: 'where more than the base is asked for' }
  ],
  formulas: [
    { text: 'in flight = operations a second x time of one', source: 'Little 1961' },
    { text: 'wait = C(c, a) x time / (c - a)', source: 'Erlang 1917, for M/M/c: arrivals by chance, times of all lengths' },
    { text: 'operations = min(most, max(base, GiB x for each GiB))', source: 'common practice for rented block volumes, no source' }
  ],
  reckon: figures,
  tell(v, f) {
    const [name] = lowest(v);
    return {
      headline:
        f.used! >= 1
          ? `${shown('each-second', v.asked!)} can't be had: ${name} ${name.endsWith('s') ? 'end' : 'ends'} at ${shown('each-second', f.ceiling!)}.`
          : `${shown('each-second', v.asked!)} are ${shown('share', f.used!)} of what ${name} ${name.endsWith('s') ? 'allow' : 'allows'}; one takes ${shown('time', f.latency!)}.`,
      notes: [
        ...(f.used! >= busy && f.used! < 1 ? ['Above about 70 % waiting grows quickly (common practice, no source).'] : []),
        ...(f.burst! < Infinity
          ? [`On credit for ${shown('time', f.burst!)}; then the base of ${shown('each-second', v.base!)} is all there is.`]
          : [])
      ]
    };
  },
  chart: (v) => {
    const [, ceiling] = lowest(v);
    return {
      kind: 'line',
      title: 'time of one operation, by what is asked for',
      unit: 'time',
      points: [0.1, 0.3, 0.5, 0.6, 0.7, 0.8, 0.85, 0.9, 0.95, 0.98].map((share) => ({
        label: shown('each-second', ceiling * share),
        value: figures({ ...v, asked: ceiling * share }).latency
      }))
    };
  }
};
