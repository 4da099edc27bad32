import { check } from '$core/checker';
import { groundGates } from '$core/gates';
import { refOf, type Facts, type Kind, type Ref } from '$core/model';
import { linedKinds, rootLine } from '$core/rootline';
import { removalSheet } from '$core/change';

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
