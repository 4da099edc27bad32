import { appendObjects, dropObject, editsOf, type Path, type TextEdit, type Wish, type Written } from '../manifest';
import { keyOf, refOf, type ApiObject, type Facts } from '../model';
import { same } from '../shared';
import { partOfLabel } from '../standin';
import { plainFaults } from './parts';
import type { Answers, Blueprint, Question } from './types';

type Tree = Readonly<Record<string, unknown>>;
const isTree = (value: unknown): value is Tree => typeof value === 'object' && value !== null && !Array.isArray(value);
/** Fields that say the same as another one, or are drawn anew each time. */
const skipped = (path: string): boolean => /^(data|stringData)\.password$/.test(path) || path.endsWith('standin.example/config');

/** All plain values of an object, by their paths. */
function leavesOf(value: unknown, path = '', into = new Map<string, unknown>()): Map<string, unknown> {
  if (Array.isArray(value)) value.forEach((one, i) => leavesOf(one, `${path}[${i}]`, into));
  else if (isTree(value)) for (const [key, one] of Object.entries(value)) leavesOf(one, path ? `${path}.${key}` : key, into);
  else if (typeof value === 'string' && value.includes('\n')) value.split('\n').forEach((line, i) => into.set(`${path}:${i + 1}`, line));
  else if (!skipped(path)) into.set(path, value);
  return into;
}

const keyFor = (one: ApiObject): string => keyOf(refOf(one));
const partOf = (one: ApiObject): string | undefined => one.metadata.labels?.[partOfLabel];

/** Which blueprint an object is of; undefined for what no blueprint begins with. */
function blueprintIn(one: ApiObject): string | undefined {
  if (one.kind === 'MemoryCluster') return 'memory-store';
  if (one.kind === 'DocumentSet') return 'document-set';
  return one.metadata.labels?.['standin.example/blueprint'];
}

/** One workload in a draft that a blueprint could have written. */
export interface FoundBrief {
  readonly blueprint: string;
  readonly name: string;
  readonly namespace: string;
}

/** The workloads in manifests that a blueprint could have written. */
export function briefsIn(objects: readonly ApiObject[]): FoundBrief[] {
  const found = new Map<string, FoundBrief>();
  for (const one of objects) {
    const blueprint = blueprintIn(one);
    const [name, namespace] = [partOf(one) ?? one.metadata.name, one.metadata.namespace ?? 'default'];
    if (blueprint !== undefined && !found.has(`${namespace}/${name}`)) found.set(`${namespace}/${name}`, { blueprint, name, namespace });
  }
  return [...found.values()];
}

/** What was read of a text: the answers that come closest to it, and what they don't say. */
export interface ReadBack {
  readonly answers: Answers;
  /** Objects and fields that were written by hand, or otherwise than the answers say. */
  readonly apart: readonly string[];
}

/** The manifests of a draft as they are compared with what answers come to. */
class Text {
  readonly byKey: ReadonlyMap<string, ReadonlyMap<string, unknown>>;
  /** Objects that some answers make: where they are written and others don't make them, they count as added. */
  readonly makeable = new Set<string>();
  constructor(
    readonly objects: readonly ApiObject[],
    private readonly brief: FoundBrief
  ) {
    this.byKey = new Map(objects.map((one) => [keyFor(one), leavesOf(one)]));
  }

  /**
   * What differs, as `object: field`, and how much it is: an object that is missing, or there though the answers don't make it, counts as
   * all that it says.
   */
  apart(made: readonly ApiObject[]): { says: string[]; cost: number } {
    const says: string[] = [];
    let cost = 0;
    const note = (text: string, weight = 1) => {
      says.push(text);
      cost += weight;
    };
    const keys = new Set<string>();
    for (const one of made) {
      const key = keyFor(one);
      keys.add(key);
      const mine = this.byKey.get(key);
      const wanted = leavesOf(one);
      if (!mine) {
        if (one.kind !== 'Namespace') note(`${key}: is not there`, wanted.size + 1);
        continue;
      }
      for (const [path, value] of wanted) if (!same(mine.get(path), value)) note(`${key}: ${path}`);
      for (const path of mine.keys()) if (!wanted.has(path)) note(`${key}: ${path}`);
    }
    const { name, namespace } = this.brief;
    for (const one of this.objects) {
      const key = keyFor(one);
      const own = partOf(one) === name && (one.metadata.namespace ?? '') === namespace;
      if ((own || this.makeable.has(key)) && !keys.has(key)) note(`${key}: was added`, this.byKey.get(key)!.size + 1);
    }
    return { says, cost };
  }
}

/** A value of a question's kind that occurs nowhere else, to see where it goes. */
function marker({ kind, range, start }: Question): string {
  switch (kind) {
    case 'count':
      return String(Number(start) === range![1] ? range![1] - 1 : Number(start) + 1);
    case 'size':
      return '7919Gi';
    case 'domain':
      return 'zq7x.example';
    case 'text':
      return /^https:/.test(start) ? 'https://zq7x.example' : '7919m';
    default:
      return 'zq7x';
  }
}

interface Probe {
  readonly blueprint: Blueprint;
  readonly text: Text;
  make(answers: Answers): ApiObject[];
}

/** What a free question is answered with, read from the places where its answer goes; undefined where it goes nowhere by itself. */
function readAnswer({ text, make }: Probe, question: Question, answers: Answers, made: readonly ApiObject[]): string | undefined {
  const mark = marker(question);
  const marked = make({ ...answers, [question.id]: mark });
  if (marked.length !== made.length) return undefined;
  const votes = new Map<string, number>();
  const vote = (value: unknown) => {
    const said = String(value);
    if (plainFaults([question], { [question.id]: said }).length === 0) votes.set(said, (votes.get(said) ?? 0) + 1);
  };
  const keys = new Set(made.map(keyFor));
  marked.forEach((one, i) => {
    const before = made[i]!;
    const whole = leavesOf(before);
    // An object whose name is the answer is known by its kind, where only one of its kind isn't accounted for.
    const strangers = text.objects.filter((two) => two.kind === before.kind && (!keys.has(keyFor(two)) || keyFor(two) === keyFor(before)));
    const mine = text.byKey.get(keyFor(before)) ?? (strangers.length === 1 ? text.byKey.get(keyFor(strangers[0]!)) : undefined);
    if (!mine) return;
    for (const [path, value] of leavesOf(one)) {
      if (same(whole.get(path), value)) continue;
      const there = mine.get(path);
      if (there === undefined) continue;
      const old = whole.get(path);
      if (String(value) === mark && (question.kind !== 'count' || String(old) === answers[question.id])) vote(there);
      else if (typeof value === 'string' && typeof old === 'string' && typeof there === 'string') {
        // The answer stands among other words: what is before and behind it must be there too.
        let head = 0;
        while (head < value.length && value[head] === old[head] && !value.startsWith(mark, head)) head += 1;
        const tail = value.slice(head + mark.length);
        const fits = value.startsWith(mark, head) && old === `${value.slice(0, head)}${answers[question.id]}${tail}`;
        if (fits && there.startsWith(value.slice(0, head)) && there.endsWith(tail) && there.length > head + tail.length)
          vote(there.slice(head, there.length - tail.length));
      }
    }
  });
  return [...votes].sort((a, b) => b[1] - a[1])[0]?.[0];
}

const optionsOf = ({ kind, options, range }: Question): readonly string[] =>
  kind === 'choice'
    ? options!.map(([value]) => value)
    : kind === 'count'
      ? Array.from({ length: range![1] - range![0] + 1 }, (_, i) => String(range![0] + i))
      : [];

/**
 * Reads a blueprint's answers out of manifests: those that come closest to what is written. Free answers are found by seeing where a mark
 * goes that is put in their place; choices and counts by trying them.
 * @param known answers to begin with, e.g. those of a moment ago
 */
export function readBack(blueprint: Blueprint, brief: FoundBrief, objects: readonly ApiObject[], known: Answers): ReadBack {
  const text = new Text(objects, brief);
  const make = (answers: Answers): ApiObject[] => blueprint.objects(answers, () => 'made-when-it-is-sent');
  const safe = (answers: Answers): ApiObject[] | undefined => {
    if (
      plainFaults(blueprint.questions, answers).some((one) => blueprint.questions.find((two) => two.id === one.question)?.kind !== 'class')
    )
      return undefined;
    try {
      return make(answers);
    } catch {
      return undefined;
    }
  };
  const probe: Probe = { blueprint, text, make };
  let answers: Answers = { ...known, name: brief.name, namespace: brief.namespace };
  const first = safe(answers);
  if (!first) return { answers, apart: ['its answers can’t be read'] };
  for (const one of first) text.makeable.add(keyFor(one));
  let made = first;
  let apart = text.apart(first);
  // What stands at an answer's own place counts for more than what only follows from it: there, as good is good enough.
  const better = (next: Answers, own = false): void => {
    const other = safe(next);
    if (!other) return;
    for (const one of other) text.makeable.add(keyFor(one));
    apart = text.apart(made);
    const now = text.apart(other);
    if (now.cost < apart.cost || (own && now.cost === apart.cost)) [answers, made, apart] = [next, other, now];
  };
  const free = blueprint.questions.filter((one) => one.kind !== 'choice' && one.id !== 'name' && one.id !== 'namespace');
  for (let round = 0; round < 4 && apart.cost; round += 1) {
    const before = answers;
    for (const question of free) {
      if (!apart.cost) break;
      const said = readAnswer(probe, question, answers, made);
      if (said !== undefined && said !== answers[question.id]) better({ ...answers, [question.id]: said }, true);
      else if (said === undefined && question.kind === 'count')
        for (const one of optionsOf(question)) better({ ...answers, [question.id]: one });
    }
    for (const question of blueprint.questions)
      if (question.kind === 'choice' && apart.cost) for (const one of optionsOf(question)) better({ ...answers, [question.id]: one });
    if (before === answers) break;
  }
  return { answers, apart: apart.says };
}

/** Answers to begin reading with, where nothing is known: those that a blueprint starts from. */
export const startingAnswers = (blueprint: Blueprint, facts: Facts): Answers =>
  Object.fromEntries(
    blueprint.questions.map((one) => [
      one.id,
      one.kind === 'class' ? (facts.list('StorageClass')[0]?.metadata.name ?? 'standard') : one.start
    ])
  );

/** What has to be wished of an object's text so that it says what the new one says, where the old one said otherwise. */
function wishes(before: unknown, after: unknown, path: Path = []): Wish[] {
  if (same(before, after)) return [];
  if (isTree(before) && isTree(after))
    return [...new Set([...Object.keys(before), ...Object.keys(after)])].flatMap((key) => {
      const inner = [...path, key];
      if (path.length === 1 && (path[0] === 'stringData' || path[0] === 'data') && key === 'password') return [];
      return !(key in after) ? [{ drop: inner }] : wishes(before[key], after[key], inner);
    });
  if (Array.isArray(before) && Array.isArray(after) && before.length === after.length)
    return before.flatMap((one, i) => wishes(one, after[i], [...path, i]));
  return [{ set: path, value: after }];
}

/**
 * The edits that bring a draft from one set of answers to another. Only what the answers change is touched: what was written by hand stays.
 * @param secret gives a new random value for a secret that comes along
 */
export function answerEdits(
  blueprint: Blueprint,
  written: readonly Written[],
  files: readonly { readonly name?: string; readonly text: string }[],
  from: Answers,
  to: Answers,
  secret: (name: string) => string
): TextEdit[] {
  const before = blueprint.objects(from, () => '');
  const after = blueprint.objects(to, secret);
  const texts = new Map(written.map((one) => [keyFor(one.object), one]));
  const left = [...after];
  const take = (fits: (one: ApiObject) => boolean): ApiObject | undefined => {
    const i = left.findIndex(fits);
    return i < 0 ? undefined : left.splice(i, 1)[0];
  };
  const pairs = before.map((one) => ({ old: one, now: take((two) => keyFor(two) === keyFor(one)) }));
  // What goes by another name now is the next of its kind.
  const matched = pairs.map(({ old, now }) => ({ old, now: now ?? take((two) => two.kind === old.kind) }));
  const changed = matched.flatMap(({ old, now }) => {
    const mine = texts.get(keyFor(old));
    if (!mine) return [];
    return now ? editsOf(mine.writing, wishes(old, now)) : dropObject(mine.writing);
  });
  const fresh = left.filter((one) => !texts.has(keyFor(one)));
  const file = files.find((one) => one.name === written[0]?.writing.file) ?? files[0];
  return [...changed, ...(fresh.length && file ? [appendObjects(file.text, fresh, file.name)] : [])];
}
