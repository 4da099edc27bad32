import { fieldOf } from '../shared';
import type { Problem } from '../shared';
import { kindEntry, type ApiObject, type Condition } from '../model';
import { withoutNulls } from '../manifest';

/** An object of a kind that isn't known here: what it is, whose it is, and how it says it is. */
export interface OtherObject {
  readonly apiVersion: string;
  readonly kind: string;
  readonly namespace: string;
  readonly name: string;
  readonly uid: string;
  readonly owners: readonly { readonly kind: string; readonly name: string; readonly uid: string }[];
  readonly created?: string;
  readonly conditions?: readonly Condition[];
  /** Why an object of a known kind couldn't be read. */
  readonly unread?: string;
}

/** What is kept of one value of a dump. */
export type Kept =
  { readonly object: ApiObject } | { readonly other: OtherObject; readonly problem?: Problem } | { readonly problem: Problem };

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

function otherOf(value: Plain, unread?: string): OtherObject {
  const meta = isPlain(value.metadata) ? value.metadata : {};
  const owners = Array.isArray(meta.ownerReferences) ? (meta.ownerReferences as unknown[]).filter(isPlain) : [];
  const status = isPlain(value.status) ? value.status : {};
  const conditions = Array.isArray(status.conditions)
    ? ((status.conditions as unknown[]).filter(isPlain) as unknown as Condition[])
    : undefined;
  return {
    apiVersion: text(value.apiVersion),
    kind: text(value.kind),
    namespace: text(meta.namespace),
    name: text(meta.name),
    uid: text(meta.uid),
    owners: owners.map((one) => ({ kind: text(one.kind), name: text(one.name), uid: text(one.uid) })),
    ...(text(meta.creationTimestamp) ? { created: text(meta.creationTimestamp) } : {}),
    ...(conditions ? { conditions } : {}),
    ...(unread ? { unread } : {})
  };
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
    const object = parsed.data as ApiObject;
    const meta = object.metadata as { namespace?: string };
    if (entry.namespaced && !meta.namespace) meta.namespace = 'default';
    else if (!entry.namespaced && meta.namespace !== undefined) delete meta.namespace;
    return { object };
  }
  const [issue] = parsed.error.issues;
  const where = `${fieldOf(issue?.path ?? [])}: ${issue?.message ?? 'not as the API writes it'}`;
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

const stamp = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d/;

/** The latest moment that an object tells of (ms of the calendar); 0 when it tells of none. */
export function latestIn(object: ApiObject): number {
  let latest = 0;
  const look = (value: unknown) => {
    if (typeof value !== 'string' || !stamp.test(value)) return;
    const at = Date.parse(value);
    if (at > latest) latest = at;
  };
  look(object.metadata.creationTimestamp);
  look(object.metadata.deletionTimestamp);
  if (object.kind === 'Event') [object.lastTimestamp, object.firstTimestamp].forEach(look);
  const { status } = object as { status?: { conditions?: Condition[]; startTime?: string } };
  look(status?.startTime);
  for (const one of status?.conditions ?? []) {
    look(one.lastTransitionTime);
    look((one as { lastHeartbeatTime?: string }).lastHeartbeatTime);
  }
  return latest;
}
