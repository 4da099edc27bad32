import type { Problem } from '../shared';
import { kindEntries, kindEntry, nameFault, nearestName, type ApiObject, type KindEntry } from '../model';
import { extraFaults } from './bounds';
import type { FieldMend } from '../validation';
import { explainIssue } from './explain';
import { unservedVersions } from './versions';
import type { Path } from './writing';

/** Deepest nesting that is followed; no kind of the cluster API comes near it. */
export const deepest = 100;

/** Fields that somebody takes out by writing null: a volume that is to be handed out again. */
const takenOut = new Set(['claimRef']);

/** The cluster API takes a field of null for a field left out; so do we, but for those that are taken out. Throws RangeError for a value nested too deep. */
export function withoutNulls(value: unknown, depth = 0): unknown {
  if (typeof value !== 'object' || value === null) return value;
  if (depth > deepest) throw new RangeError('too deep');
  if (Array.isArray(value)) return value.map((one) => withoutNulls(one, depth + 1));
  const kept: Record<string, unknown> = {};
  for (const key in value) {
    const inner = (value as Record<string, unknown>)[key];
    if (inner !== null) kept[key] = withoutNulls(inner, depth + 1);
    else if (takenOut.has(key)) kept[key] = null;
  }
  return kept;
}

/** Whether a value is a mapping: neither a list nor null. */
export const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** A value that should be a text, for a message. */
const said = (value: unknown): string => (typeof value === 'string' ? value : (JSON.stringify(value) ?? '')).slice(0, 120);

function unknownKind(value: Record<string, unknown>, entry: KindEntry | undefined): Pick<Problem, 'code' | 'message' | 'remedy'> {
  const { kind, apiVersion } = value;
  const gone = unservedVersions[`${said(apiVersion)} ${said(kind)}`];
  if (entry && gone)
    return {
      code: 'unserved-version',
      message: `${said(apiVersion)} of ${entry.kind} is no longer served; clusters from ${gone} on don't know it.`,
      remedy: `Write apiVersion: ${entry.apiVersion}.`
    };
  if (entry)
    return {
      code: 'unknown-kind',
      message: `${entry.kind} is read as ${entry.apiVersion}, not as "${said(apiVersion ?? '')}".`,
      remedy: `Write apiVersion: ${entry.apiVersion}.`
    };
  if (kind === undefined)
    return {
      code: 'unknown-kind',
      message: 'The document names no kind.',
      remedy: 'Add apiVersion and kind, e.g. apiVersion: v1 and kind: Service.'
    };
  const near = kindEntries.find((one) => one.kind.toLowerCase() === said(kind).toLowerCase());
  const known = kindEntries.filter((one) => !one.derived).map((one) => one.kind);
  return {
    code: 'unknown-kind',
    message: `The kind "${said(kind)}" is not known here.`,
    remedy: near ? `Write kind: ${near.kind}.` : `Known kinds: ${known.join(', ')}.`
  };
}

/** A problem with its place in an object; `hidden` where it was found only when parts of the object had been left out. */
export type PathFault = Omit<Problem, 'at'> & { path: Path; hidden?: boolean; mend?: FieldMend };

function nameProblems(value: Record<string, unknown>, entry: KindEntry): PathFault[] {
  const meta = isRecord(value.metadata) ? value.metadata : {};
  const faults: PathFault[] = [];
  const check = (name: unknown, path: Path, rule: KindEntry['nameRule']) => {
    if (typeof name !== 'string') return;
    const fault = nameFault(name, rule);
    if (!fault) return;
    const near = nearestName(name, rule);
    const remedy = near ? `Write "${near}", say.` : 'Choose another name.';
    faults.push({ path, code: 'bad-name', message: `The name "${name}" ${fault}.`, remedy });
  };
  check(meta.name, ['metadata', 'name'], entry.nameRule);
  if (entry.namespaced) check(meta.namespace, ['metadata', 'namespace'], 'label');
  else if (meta.namespace !== undefined)
    faults.push({
      path: ['metadata', 'namespace'],
      code: 'cluster-wide',
      message: `${entry.kind} belongs to the whole cluster, not to a namespace.`,
      remedy: 'Leave metadata.namespace out.'
    });
  return faults;
}

/** What of an object can be understood. */
export interface Understood {
  readonly object: ApiObject;
  readonly faulty: readonly Path[];
  readonly cut: boolean;
}

const mostCuts = 12;

/** What is left of a value when the parts that its kind doesn't take are left out; undefined where too little is. */
function withoutFaults(value: Record<string, unknown>, entry: KindEntry, wrong: readonly Path[]): Understood | undefined {
  const left = withoutNulls(value) as Record<string, unknown>;
  const faulty: Path[] = [];
  let paths = wrong;
  for (let turn = 0; turn < mostCuts; turn += 1) {
    for (const path of paths) {
      let at = path;
      // What is missing can't be left out; what lacks it can.
      while (at.length > 1 && at.reduce<unknown>((node, step) => (node as Record<string, unknown> | undefined)?.[step], left) === undefined)
        at = at.slice(0, -1);
      if (at.length < 2) return undefined;
      const holder = at.slice(0, -1);
      const node = holder.reduce<unknown>((one, step) => (one as Record<string, unknown>)[step], left);
      if (Array.isArray(node)) node.splice(Number(at.at(-1)), 1);
      else delete (node as Record<string, unknown>)[at.at(-1)!];
      // Further items have other places now, so nothing is said of the list.
      faulty.push(Array.isArray(node) ? holder : at);
    }
    const parsed = entry.schema.safeParse(left);
    if (parsed.success) return { object: parsed.data as ApiObject, faulty: [...faulty, ...wrong], cut: true };
    paths = parsed.error.issues.slice(0, 1).map((one) => one.path as Path);
  }
  return undefined;
}

/** What an object's value is worth: the object, or all that is wrong with it and what can be understood all the same. */
export function judge(value: unknown): { object?: ApiObject; faults: PathFault[]; rough?: Understood } {
  if (!isRecord(value))
    return {
      faults: [
        {
          path: [],
          code: 'not-an-object',
          message: 'A document must be a map with apiVersion, kind and metadata.',
          remedy: 'Separate documents by a line of "---" and begin each with apiVersion and kind.'
        }
      ]
    };
  const entry = kindEntry(typeof value.kind === 'string' ? value.kind : '');
  if (!entry || entry.apiVersion !== value.apiVersion)
    return { faults: [{ path: [entry ? 'apiVersion' : 'kind'], ...unknownKind(value, entry) }] };
  const parsed = entry.schema.safeParse(value);
  const faults: PathFault[] = (parsed.error?.issues ?? []).map((issue) => ({
    path: issue.path.map((step) => (typeof step === 'symbol' ? String(step) : step)),
    ...explainIssue(issue, value)
  }));
  faults.push(...nameProblems(value, entry));
  if (parsed.success) faults.push(...extraFaults(parsed.data as ApiObject).map(({ field, ...fault }) => ({ ...fault, path: field })));
  const placed = (object: ApiObject) =>
    entry.namespaced && !object.metadata.namespace
      ? ({ ...object, metadata: { ...object.metadata, namespace: 'default' } } as ApiObject)
      : object;
  if (!faults.length && parsed.success) return { object: placed(parsed.data as ApiObject), faults };
  const wrong = faults.map((one) => one.path);
  const issues = (parsed.error?.issues ?? []).slice(0, 1).map((one) => one.path as Path);
  const rough = parsed.success ? { object: parsed.data as ApiObject, faulty: wrong, cut: false } : withoutFaults(value, entry, issues);
  if (!rough) return { faults };
  // What the schema hid is said at once.
  const hidden = rough.cut ? extraFaults(rough.object).filter((one) => !touches(one.field, rough.faulty)) : [];
  return {
    faults: [...faults, ...hidden.map(({ field, ...fault }) => ({ ...fault, path: field, hidden: true }))],
    rough: { ...rough, object: placed(rough.object), faulty: [...rough.faulty, ...wrong] }
  };
}

/** Whether a place is one of some others, lies within one, or holds one. */
export const touches = (path: Path, others: readonly Path[]): boolean =>
  others.some((other) => {
    const both = Math.min(path.length, other.length);
    return path.slice(0, both).every((step, i) => step === other[i]);
  });
