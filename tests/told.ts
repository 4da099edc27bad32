import { check } from '$core/checker';
import { groundGates } from '$core/gates';
import { refOf, type ApiObject, type Facts, type Kind, type Ref } from '$core/model';
import { linedKinds, rootLine } from '$core/rootline';
import { removalSheet } from '$core/change';
import { drawInt } from '$core/shared';
import { replay, type World } from '$core/standin';
import { scenario } from '../src/lib/scenario';
import { aside } from './played';

/** Fields that hold nothing but words: those have tests of their own. */
const words = new Set(['says', 'message', 'text', 'press', 'title', 'why', 'sentence', 'remedy', 'note', 'meaning', 'headline', 'notes']);

/** What is told, without its words: states, names, places, fields and values, objects to send. */
export function wordless(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(wordless);
  if (typeof value !== 'object' || value === null || ArrayBuffer.isView(value)) return value;
  if (value instanceof Map || value instanceof Set) return wordless([...value]);
  const rest = Object.entries(value).filter(([field, one]) => one !== undefined && !(words.has(field) && typeof one === 'string'));
  return Object.fromEntries(rest.map(([field, one]) => [field, field === 'manifests' ? one : wordless(one)]));
}

/** What root lines can be drawn for, so many of a kind. */
export const subjects = (facts: Facts, each: number): Ref[] =>
  linedKinds.flatMap((kind) => {
    const all = facts.list(kind as Kind);
    const step = Math.max(1, Math.ceil(all.length / each));
    return all.filter((_, i) => i % step === 0).map(refOf);
  });

/** What is told of a place: its ground, root lines, and what would go with some of its objects. */
export function toldOf(facts: Facts, each: number): unknown[] {
  const all = subjects(facts, each);
  return [
    wordless(groundGates(facts)),
    ...all.map((ref) => wordless(rootLine(facts, ref))),
    ...all.filter((_, i) => i % 3 === 0).map((ref) => wordless(removalSheet(facts, ref)))
  ];
}

/** What the checker finds in a text. */
export const foundIn = (text: string, against?: Facts): unknown => wordless(check([{ text }], against, '2026-11-02'));

export const demo = scenario();
const worlds = new Map<string, World>();
/** A cluster of the demo, as it is left there: shared by the tests of a file. */
export function worldOf(name: string): World {
  let world = worlds.get(name);
  if (!world) {
    const one = demo.find((two) => two.name === name)!;
    worlds.set(name, (world = aside(() => replay({ seed: one.seed, ground: one.ground }, one.actions, one.headMs))));
  }
  return world;
}
/** A drawn one of a list. */
export const one = <T>(list: readonly T[], what: string): T => list[drawInt(11, what, 0, list.length - 1)]!;

/** An object with one value of its spec otherwise: a number one more, a text longer, yes for no. */
export function withOtherLeaf(object: ApiObject, what: string): ApiObject {
  const copy = structuredClone(object);
  const leaves: (() => void)[] = [];
  const walk = (at: Record<string, unknown>): void => {
    for (const [field, value] of Object.entries(at)) {
      if (typeof value === 'object' && value !== null) walk(value as Record<string, unknown>);
      else
        leaves.push(
          () =>
            (at[field] =
              typeof value === 'number'
                ? value + 1
                : typeof value === 'boolean'
                  ? !value
                  : /\d/.test(String(value))
                    ? String(value).replace(/\d+/, (n) => String(Number(n) + 1))
                    : `${String(value)}x`)
        );
    }
  };
  const { spec, data, parameters } = copy as { readonly [field: string]: unknown };
  walk((spec ?? data ?? parameters ?? {}) as Record<string, unknown>);
  if (leaves.length) one(leaves, what)();
  return copy;
}
