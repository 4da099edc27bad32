import { entryOf, type Facts } from '../model';
import {
  appendObjects,
  dropObject,
  editsOf,
  touches,
  writtenSteps,
  type Rough,
  type TextEdit,
  type Written,
  type WrittenProblem,
  type WrittenResult
} from '../manifest';
import { contextOf } from './context';
import { asTheHouseHas, boundOf, ownFindings } from './house';
import { rules } from './rules';
import type { Finding, Hit, Repair, Rule } from './types';

/** A file of a draft. */
export interface DraftFile {
  readonly name: string;
  readonly text: string;
}

/** Those that others say more exactly come last. */
const inOrder = [...rules.filter((one) => !one.unless), ...rules.filter((one) => one.unless)];

const byId = new Map(rules.map((one) => [one.id, one]));

/** The rule with an id; undefined when there is none. */
export const ruleOf = (id: string): Rule | undefined => byId.get(id);

function editsFor(repair: Repair, files: readonly { name?: string | undefined; text: string }[]): TextEdit[] {
  const last = files.at(-1);
  return [
    ...(repair.wishes ?? []).flatMap(({ on, wish }) => editsOf(on.writing, [wish])),
    ...(repair.out ?? []).flatMap((on) => dropObject(on.writing)),
    ...(repair.edits ?? []),
    ...(repair.add?.length && last ? [appendObjects(last.text, repair.add, last.name)] : [])
  ];
}

function findingOf(one: Rule, found: Hit, files: readonly { name?: string | undefined; text: string }[]): Finding {
  const { on, path, message, remedy, repair } = found;
  const field = path.reduce<string>(
    (text, step) => (typeof step === 'number' ? `${text}[${step}]` : text ? `${text}.${step}` : String(step)),
    ''
  );
  const edits = repair ? editsFor(repair, files) : [];
  return {
    code: one.id,
    severity: one.level,
    at: { ...on.writing.place(path), ...(field ? { field } : {}), ...(on.at.object ? { object: on.at.object } : {}) },
    message,
    remedy,
    ...(repair && edits.length ? { mend: { says: repair.says, edits } } : {})
  };
}

function readingFinding(
  { code, message, remedy, at, writing, path, value, hidden, mend }: WrittenProblem,
  files: readonly { name?: string | undefined; text: string }[]
): Finding {
  const one = byId.get(code);
  const file = files.find((two) => two.name === at.file) ?? files[0];
  let edits: TextEdit[] = [];
  let says = '';
  if (mend && writing && !hidden) [says, edits] = [mend.says, editsOf(writing, [mend.wish])];
  else if (one?.repair && writing && file && !hidden) {
    const offset = file.text
      .split('\n')
      .slice(0, (at.line ?? 1) - 1)
      .reduce((sum, line) => sum + line.length + 1, 0);
    const repair = one.repair({ written: { writing, value: value ?? {} }, path: path ?? [], text: file.text, offset });
    if (repair) {
      says = repair.says;
      edits = [
        ...editsOf(writing, repair.own ?? []),
        ...(repair.whole ? dropObject(writing) : []),
        ...(repair.edits ?? []).map((edit) => (file.name === undefined ? edit : { ...edit, file: file.name }))
      ];
    }
  }
  return { code, severity: one?.level ?? 'error', at, message, remedy, ...(edits.length ? { mend: { says, edits } } : {}) };
}

/** The same as a note, where it is of an export that leaves out what the rule looks for. */
function unseenIn(target: Facts | undefined, one: Rule, found: Hit): Finding | undefined {
  const { scope } = target ?? {};
  const space = found.on.object.metadata.namespace ?? 'default';
  const left = scope && one.absent?.filter((kind) => scope.of(kind, entryOf(kind).namespaced ? space : undefined) !== 'contained');
  if (!left?.length) return undefined;
  const { mend: _, ...rest } = findingOf(one, { ...found, remedy: `Export ${left.join(' and ')}, too, or look it up there.` }, []);
  return { ...rest, severity: 'note', message: `Can't be told, as the export may leave out ${left.join(' and ')}: ${found.message}` };
}

const identity = ({ on, path, message }: Hit): string =>
  `${on.writing.file ?? ''} ${on.writing.offsetBefore} ${on.at.line} ${path.join('.')} ${message}`;

const gravity = { error: 0, warning: 1, note: 2 } as const;

/** What rules say of a draft that was read, those of the house too, a rule at each step. */
export function* findingSteps(
  read: WrittenResult,
  files: readonly { name?: string | undefined; text: string }[],
  target: Facts | undefined,
  today?: string
): Generator<void, Finding[]> {
  const { rough = [] } = read;
  const marred = new Map<Written, Rough>(rough.map((one) => [one, one]));
  const context = contextOf([...read.objects, ...rough], target);
  // Of objects that parts were left out of, others are told only what would be said without them, too.
  const cut = rough.some((one) => one.cut);
  const bare = cut ? contextOf([...read.objects, ...rough.filter((one) => !one.cut)], target) : undefined;
  const found = read.problems.map((one) => readingFinding(one, files));
  const said = new Map<Written, Set<string>>();
  for (const one of inOrder) {
    if (!one.check) continue;
    const bound = boundOf(context, one);
    const without = bare && new Set([...one.check(bare, bound)].map(identity));
    for (const two of one.check(context, bound)) {
      if (one.unless?.some((id) => said.get(two.on)?.has(id))) continue;
      said.set(two.on, (said.get(two.on) ?? new Set()).add(one.id));
      const its = marred.get(two.on);
      if (its ? !touches(two.path, its.faulty) : !without || without.has(identity(two)))
        found.push(unseenIn(target, one, two) ?? findingOf(one, two, files));
    }
    if (read.objects.length > 300) yield;
  }
  found.push(...ownFindings(context));
  return asTheHouseHas(found, context, today).sort(
    (a, b) =>
      (a.at.file === b.at.file ? 0 : (a.at.file ?? '') < (b.at.file ?? '') ? -1 : 1) ||
      (a.at.line ?? 0) - (b.at.line ?? 0) ||
      gravity[a.severity] - gravity[b.severity] ||
      (a.code < b.code ? -1 : a.code > b.code ? 1 : 0)
  );
}

/** Reads and checks, a piece at each step. */
export function* checkSteps(
  files: readonly { name?: string | undefined; text: string }[],
  target: Facts | undefined,
  today?: string
): Generator<void, { findings: Finding[]; objects: readonly Written[] }> {
  const read = yield* writtenSteps(files);
  return { findings: yield* findingSteps(read, files, target, today), objects: read.objects };
}

/**
 * Checks manifests: what is wrong, where, and what mends it.
 * @param files the draft's files
 * @param target the cluster they are meant for; without one only what the draft itself tells is found
 * @param today the day, e.g. 2026-11-28, by which acceptances of the house end; without one none ends
 */
export function check(files: readonly { name?: string | undefined; text: string }[], target?: Facts, today?: string): Finding[] {
  const steps = checkSteps(files, target, today);
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value.findings;
  }
}
