import type { Wish, Written } from '../manifest';
import type { Hit, Repair, Rule, WrittenOf } from './types';

/** Declares a rule; its file's name is its id. */
export const rule = (one: Rule): Rule => one;

/** A repair that changes one object of the draft. */
export const change = (says: string, on: Written, ...wishes: Wish[]): Repair => ({ says, wishes: wishes.map((wish) => ({ on, wish })) });

/** What only a service with an address outside may have. Source: ServiceSpec v1 core. */
const outsideFields = [
  'loadBalancerSourceRanges',
  'loadBalancerClass',
  'allocateLoadBalancerNodePorts',
  'externalTrafficPolicy',
  'healthCheckNodePort'
];

/** Takes a service back from the outside, with all that goes with it. */
export const keepInside = (on: WrittenOf<'Service'>): Repair => {
  const { spec } = on.object;
  const drops: Wish[] = outsideFields.filter((field) => spec[field] !== undefined).map((field) => ({ drop: ['spec', field] }));
  (spec.ports ?? []).forEach((port, i) => port.nodePort !== undefined && drops.push({ drop: ['spec', 'ports', i, 'nodePort'] }));
  return change('Keep it inside', on, { set: ['spec', 'type'], value: 'ClusterIP' }, ...drops);
};

/** A hit, with its repair if there is one. */
export const hit = (on: Written, path: Hit['path'], message: string, remedy: string, repair?: Repair): Hit => ({
  on,
  path,
  message,
  remedy,
  ...(repair ? { repair } : {})
});

/** How many letters have to be changed, put in or left out to make one text of another. Source: Levenshtein 1966. */
export function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i += 1) {
    const next = [i];
    for (let j = 1; j <= b.length; j += 1) next[j] = Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1));
    row = next;
  }
  return row[b.length]!;
}

/** The known word nearest to one that isn't known; undefined when none is near. */
export function nearest(word: string, known: readonly string[]): string | undefined {
  const lower = word.toLowerCase();
  const scored = known
    .map((one) => ({ one, far: distance(lower, one.toLowerCase()) }))
    .sort((a, b) => a.far - b.far || (a.one < b.one ? -1 : 1));
  const best = scored[0];
  return best && best.far <= Math.max(2, Math.floor(word.length / 3)) ? best.one : undefined;
}

/** `a, b and c` */
export const listed = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? 'none') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;
