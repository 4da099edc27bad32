import { fieldOf } from '../shared';
import type { Problem } from '../shared';
import { bounds, kindEntry, type ApiObject, type Condition, type OtherObject } from '../model';
import { withoutNulls } from '../manifest';

export type { OtherObject } from '../model';

/** What is kept of one value of a dump. */
export type Kept =
  | { readonly object: ApiObject; readonly problem?: Problem }
  | { readonly other: OtherObject; readonly problem?: Problem }
  | { readonly problem: Problem };

type Plain = Record<string, unknown>;
const isPlain = (value: unknown): value is Plain => typeof value === 'object' && value !== null && !Array.isArray(value);
const text = (value: unknown): string => (typeof value === 'string' ? value : '');

/** A value with the items of lists spread out. */
export function* spreadOut(value: unknown, depth = 0): Generator<unknown> {
  if (Array.isArray(value)) for (const one of value) yield* spreadOut(one, depth);
  else if (isPlain(value) && text(value.kind).endsWith('List') && Array.isArray(value.items) && depth < 4) {
    const own = text(value.kind).slice(0, -4);
    for (const one of value.items) {
      // Typed lists leave kind and version of their items out.
      const item = isPlain(one) && one.kind === undefined && own ? { apiVersion: value.apiVersion, kind: own, ...one } : one;
      yield* spreadOut(item, depth + 1);
    }
  } else if (value !== null && value !== undefined) yield value;
}

/** Fields of the newer group of events, as the older one names them. */
function oldEvent(value: Plain): Plain {
  const {
    regarding,
    note,
    deprecatedFirstTimestamp,
    deprecatedLastTimestamp,
    deprecatedCount,
    deprecatedSource,
    eventTime,
    series,
    ...rest
  } = value;
  const last = (isPlain(series) ? series.lastObservedTime : undefined) ?? deprecatedLastTimestamp ?? eventTime;
  return {
    ...rest,
    apiVersion: 'v1',
    involvedObject: regarding ?? {},
    message: note ?? '',
    firstTimestamp: deprecatedFirstTimestamp ?? eventTime,
    lastTimestamp: last,
    count: (isPlain(series) ? series.count : undefined) ?? deprecatedCount ?? 1,
    source: deprecatedSource ?? { component: text(rest.reportingController) }
  };
}

/** Takes out what a reader has no use for and what a dump shouldn't carry: bookkeeping of fields, copies of whole manifests, secrets. */
function lighter(value: Plain, secrets: boolean): Plain {
  const { metadata } = value;
  let next = value;
  if (isPlain(metadata)) {
    const { managedFields: _, annotations, ...meta } = metadata;
    const kept = isPlain(annotations)
      ? Object.fromEntries(Object.entries(annotations).filter(([key]) => !key.endsWith('/last-applied-configuration')))
      : undefined;
    next = { ...value, metadata: { ...meta, ...(kept && Object.keys(kept).length ? { annotations: kept } : {}) } };
  }
  if (value.kind === 'Secret' && !secrets) {
    const keys = [...Object.keys(isPlain(value.data) ? value.data : {}), ...Object.keys(isPlain(value.stringData) ? value.stringData : {})];
    const { stringData: _, ...rest } = next;
    return { ...rest, data: Object.fromEntries(keys.map((key) => [key, ''])) };
  }
  return next;
}

/** What some kinds say beside conditions: who holds a lease, what a capacity object leaves, how a custom resource calls its state. */
function tellsOf(value: Plain): Record<string, string> | undefined {
  const spec = isPlain(value.spec) ? value.spec : {};
  const status = isPlain(value.status) ? value.status : {};
  const found: Record<string, unknown> =
    value.kind === 'Lease'
      ? { holder: spec.holderIdentity, renewed: spec.renewTime }
      : value.kind === 'CSIStorageCapacity'
        ? { class: value.storageClassName, capacity: value.capacity }
        : { phase: status.phase ?? status.state, message: status.message ?? status.reason };
  const told = Object.entries(found).filter((one): one is [string, string] => typeof one[1] === 'string' && one[1] !== '');
  return told.length ? Object.fromEntries(told.map(([key, said]) => [key, said.slice(0, 500)])) : undefined;
}

function otherOf(value: Plain, unread?: string): OtherObject {
  const meta = isPlain(value.metadata) ? value.metadata : {};
  const owners = Array.isArray(meta.ownerReferences) ? (meta.ownerReferences as unknown[]).filter(isPlain) : [];
  const status = isPlain(value.status) ? value.status : {};
  const conditions = Array.isArray(status.conditions)
    ? (status.conditions as unknown[]).filter(isPlain).map((one) => ({
        type: text(one.type),
        status: typeof one.status === 'boolean' ? (one.status ? 'True' : 'False') : text(one.status),
        ...(text(one.reason) ? { reason: text(one.reason) } : {}),
        ...(text(one.message) ? { message: text(one.message).slice(0, 2_000) } : {}),
        ...(text(one.lastTransitionTime) ? { lastTransitionTime: text(one.lastTransitionTime) } : {})
      }))
    : undefined;
  const tells = tellsOf(value);
  return {
    apiVersion: text(value.apiVersion),
    kind: text(value.kind),
    namespace: text(meta.namespace),
    name: text(meta.name),
    uid: text(meta.uid),
    owners: owners.map((one) => ({ kind: text(one.kind), name: text(one.name), uid: text(one.uid) })),
    ...(text(meta.creationTimestamp) ? { created: text(meta.creationTimestamp) } : {}),
    ...(conditions ? { conditions } : {}),
    ...(tells ? { tells } : {}),
    ...(unread ? { unread } : {})
  };
}

interface Issue {
  readonly code: string;
  readonly path: readonly PropertyKey[];
  readonly message: string;
  readonly expected?: string;
}

/** What a field that is missing is read as, so that its object isn't lost for it. */
const neutral: Record<string, () => unknown> = {
  string: () => '',
  number: () => 0,
  int: () => 0,
  boolean: () => false,
  array: () => [],
  object: () => ({}),
  record: () => ({})
};

/** Takes one field that isn't as the API writes it out of a copy, or puts in an empty one where it is missing. Tells whether it could. */
function mendAt(root: Plain, { path, expected, code }: Issue): boolean {
  if (path.length < 2 && path[0] !== 'spec' && path[0] !== 'status' && expected === undefined) return false;
  let parent: unknown = root;
  for (const step of path.slice(0, -1)) parent = (parent as Record<PropertyKey, unknown> | undefined)?.[step];
  const last = path.at(-1)!;
  if (typeof parent !== 'object' || parent === null) return false;
  const holder = parent as Record<PropertyKey, unknown>;
  if (holder[last] === undefined) {
    const empty = code === 'invalid_union' ? () => '0' : neutral[expected ?? ''];
    if (!empty) return false;
    holder[last] = empty();
  } else if (Array.isArray(parent)) parent.splice(Number(last), 1);
  else delete holder[last];
  return true;
}

const mostMends = 12;

/** An object of a known kind with what isn't as the API writes it left out: a field costs that field, never the object. */
function tolerant(
  value: Plain,
  schema: { safeParse(value: unknown): { success: boolean; data?: unknown; error?: { issues: readonly unknown[] } } }
) {
  const copy = JSON.parse(JSON.stringify(value)) as Plain;
  const said: string[] = [];
  for (let i = 0; i < mostMends; i += 1) {
    const parsed = schema.safeParse(copy);
    if (parsed.success) return { object: parsed.data as ApiObject, said };
    // The last first, so that places in lists stay what they are.
    const issues = [...(parsed.error!.issues as Issue[])].reverse();
    let mended = false;
    for (const issue of issues) {
      if (!mendAt(copy, issue)) continue;
      mended = true;
      const where = fieldOf(issue.path);
      if (!said.includes(where)) said.push(where);
    }
    if (!mended) break;
  }
  return undefined;
}

/**
 * What is kept of a value: an object of a known kind, or what can be told of one of an unknown kind. The values of secrets are dropped
 * unless asked for.
 */
export function keepValue(given: unknown, secrets: boolean): Kept {
  if (!isPlain(given))
    return { problem: { code: 'not-an-object', message: 'A document is no object of a cluster.', remedy: 'It was left out.', at: {} } };
  const name = isPlain(given.metadata) ? text(given.metadata.name) : '';
  if (!text(given.kind) || !name)
    return {
      problem: {
        code: 'not-an-object',
        message: `A document names no ${text(given.kind) ? 'name' : 'kind'}.`,
        remedy: 'It was left out.',
        at: {}
      }
    };
  let value: Plain;
  try {
    value = withoutNulls(given) as Plain;
  } catch {
    return {
      problem: { code: 'too-deep', message: `${text(given.kind)} ${name} is nested too deep.`, remedy: 'It was left out.', at: {} }
    };
  }
  value = lighter(value.apiVersion === 'events.k8s.io/v1' && value.kind === 'Event' ? oldEvent(value) : value, secrets);
  const entry = kindEntry(text(value.kind));
  if (!entry || entry.apiVersion !== value.apiVersion) return { other: otherOf(value) };
  const parsed = entry.schema.safeParse(value);
  if (parsed.success) {
    const object = placedRight(parsed.data as ApiObject, entry.namespaced);
    const problem = bounded(object);
    return problem ? { object, problem } : { object };
  }
  const mended = tolerant(value, entry.schema);
  const [issue] = parsed.error.issues;
  const where = `${fieldOf(issue?.path ?? [])}: ${issue?.message ?? 'not as the API writes it'}`;
  if (mended)
    return {
      object: placedRight(mended.object, entry.namespaced),
      problem: {
        code: 'wrong-type',
        message: `${text(value.kind)} ${name}: ${mended.said.slice(0, 6).join(', ')}${mended.said.length > 6 ? ' and more' : ''} isn't as the cluster API writes it (${where}).`,
        remedy: 'That much of it was left out, or read as empty; the rest of the object is kept.',
        at: {}
      }
    };
  return {
    other: otherOf(value, where),
    problem: {
      code: 'wrong-type',
      message: `${text(value.kind)} ${name} isn't as the cluster API writes it (${where}).`,
      remedy: 'It is kept among the kinds that are not known.',
      at: {}
    }
  };
}

/** Workloads that ask for more members than this are looked at as if they asked for so many. */
export const mostMembers = bounds.members;

function bounded(object: ApiObject): Problem | undefined {
  const { spec } = object as { spec?: { replicas?: number } };
  const asked = spec?.replicas;
  if (!spec || typeof asked !== 'number' || asked <= mostMembers || !['StatefulSet', 'Deployment', 'ReplicaSet'].includes(object.kind))
    return undefined;
  spec.replicas = mostMembers;
  return {
    code: 'bad-value',
    message: `${object.kind} ${object.metadata.name} asks for ${asked.toLocaleString('en')} members.`,
    remedy: `It is looked at as if it asked for ${mostMembers.toLocaleString('en')}.`,
    at: { field: 'spec.replicas' }
  };
}

function placedRight(object: ApiObject, namespaced: boolean): ApiObject {
  const meta = object.metadata as { namespace?: string };
  if (namespaced && !meta.namespace) meta.namespace = 'default';
  else if (!namespaced && meta.namespace !== undefined) delete meta.namespace;
  return object;
}

const stamp = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d/;
/** A moment as it is written (ms of the calendar); 0 for what is none, or no calendar has. */
const msOf = (value: unknown): number => (typeof value === 'string' && stamp.test(value) && Date.parse(value)) || 0;

/** The latest moment that an object of a kind that isn't known tells of; a lease is renewed every few seconds, so that it tells when the export was taken. */
export const latestInOther = ({ created, conditions, tells }: OtherObject): number =>
  Math.max(0, ...[created, tells?.renewed, ...(conditions ?? []).map((one) => one.lastTransitionTime)].map(msOf));

/** The latest moment that an object tells of (ms of the calendar); 0 when it tells of none. */
export function latestIn(object: ApiObject): number {
  let latest = 0;
  const look = (value: unknown) => {
    latest = Math.max(latest, msOf(value));
  };
  look(object.metadata.creationTimestamp);
  look(object.metadata.deletionTimestamp);
  if (object.kind === 'Event') {
    const { eventTime, series } = object as { eventTime?: string; series?: { lastObservedTime?: string } };
    [object.lastTimestamp, object.firstTimestamp, eventTime, series?.lastObservedTime].forEach(look);
  }
  const { status } = object as { status?: { conditions?: Condition[]; startTime?: string } };
  look(status?.startTime);
  for (const one of status?.conditions ?? []) {
    look(one.lastTransitionTime);
    look((one as { lastHeartbeatTime?: string }).lastHeartbeatTime);
  }
  return latest;
}
