import type { BackupPlan, BackupRun, Facts, Pod, Ref } from '../../../model';
import { engineCards, type EngineId } from '../../cards/engines';
import { fillAt } from '../../engines/fill';
import { linkNamesFault, linkTo } from '../../provider/links';
import { assetsOf } from '../../engines/processes';

/** Where copies lie: a bucket of an object store. */
export type Bucket = NonNullable<BackupPlan['spec']['into']>;

/** Why something can't be copied or put back, what helps, and where to look. Sentences without a full stop. */
export interface Broken {
  readonly says: string;
  readonly remedy: string;
  readonly at: Ref;
}

/** Programs of a workload that keep something: all but helpers. */
const programsOf = (facts: Facts, namespace: string, workload: string) =>
  facts.list('Process', namespace).filter((one) => one.spec.workload === workload && one.spec.part !== 'helper');

/** The pods that a workload's programs run in. */
export const podsRunning = (facts: Facts, namespace: string, workload: string): Pod[] =>
  programsOf(facts, namespace, workload).flatMap((one) => facts.get('Pod', namespace, one.metadata.name) ?? []);

/** Which engine a workload's programs are; undefined where none of them runs. */
export const engineRunning = (facts: Facts, namespace: string, workload: string): EngineId | undefined =>
  programsOf(facts, namespace, workload)[0]?.spec.engine as EngineId | undefined;

/** What a root line of a workload is asked about: who makes its members. */
export function workloadRef(facts: Facts, namespace: string, name: string): Ref {
  const kind = (['StatefulSet', 'Deployment', 'DaemonSet'] as const).find((one) => facts.get(one, namespace, name)) ?? 'StatefulSet';
  return { kind, namespace, name };
}

/** What lies in the fullest volume of a workload's members at a moment, in bytes: what a copy through the engine carries. */
export const carriedBytes = (facts: Facts, namespace: string, workload: string, atMs = facts.nowMs): number =>
  Math.max(0, ...podsRunning(facts, namespace, workload).flatMap((pod) => assetsOf(facts, pod).map((asset) => fillAt(asset, atMs))));

/** Runs of a plan, in the order in which they were begun. */
export const runsOf = (facts: Facts, namespace: string, plan: string): BackupRun[] =>
  facts
    .list('BackupRun', namespace)
    .filter((one) => one.spec.plan === plan)
    .sort((a, b) => (a.status?.beganMs ?? Infinity) - (b.status?.beganMs ?? Infinity) || (a.metadata.name < b.metadata.name ? -1 : 1));

/** Runs that are done, with the moment that each shows. */
export const doneOf = (runs: readonly BackupRun[]): (BackupRun & { momentMs: number; name: string })[] =>
  runs.flatMap((one) =>
    one.status?.phase === 'Done' && one.status.momentMs !== undefined
      ? [{ ...one, momentMs: one.status.momentMs, name: one.metadata.name }]
      : []
  );

/** A copy by its name, with the one that it builds on. */
export interface Chained {
  readonly name: string;
  readonly status?: { readonly base?: string | undefined } | undefined;
}

/** A copy with those before it that it builds on, the whole one first; undefined where one of them is there no more. */
export function chainTo<R extends Chained>(done: readonly R[], last: R): R[] | undefined {
  const chain = [last];
  for (let base = last.status?.base; base !== undefined; base = chain[0]!.status?.base) {
    const before = done.find((one) => one.name === base);
    if (!before || chain.includes(before)) return undefined;
    chain.unshift(before);
  }
  return chain;
}

/** The secret that a plan seals its copies with: what is in it; or why it can't be had. Undefined where a plan seals nothing. */
export function sealOf(facts: Facts, { metadata, spec }: BackupPlan): string | Broken | undefined {
  const { seal } = spec;
  if (!seal) return undefined;
  const namespace = metadata.namespace ?? '';
  const secret = facts.get('Secret', namespace, seal.secret);
  const at = { kind: 'BackupPlan', namespace, name: metadata.name } as const;
  if (!secret) return { says: `there is no secret ${seal.secret} to seal with`, remedy: 'Write it, or name another one in spec.seal.', at };
  const value = secret.data?.[seal.key];
  return value ?? { says: `the secret ${seal.secret} has no ${seal.key}`, remedy: 'Put it there, or name another key in spec.seal.', at };
}

/** One more run of a plan, begun by hand. */
export function runByHand(facts: Facts, { metadata }: BackupPlan): BackupRun {
  const { name: plan, namespace = '' } = metadata;
  let nth = 1;
  while (facts.get('BackupRun', namespace, `${plan}-by-hand-${nth}`)) nth += 1;
  return {
    apiVersion: 'standin.example/v1',
    kind: 'BackupRun',
    metadata: { name: `${plan}-by-hand-${nth}`, namespace },
    spec: { plan }
  };
}

/** Whether a bucket lies in another cluster. */
export const isFar = (facts: Facts, { cluster }: Pick<Bucket, 'cluster'>): boolean =>
  cluster !== undefined && cluster !== (facts.elsewhere?.here ?? facts.list('Ground')[0]?.metadata.name);

/** What is known of the cluster that a bucket lies in; undefined where nothing is. */
export const storeFacts = (facts: Facts, bucket: Pick<Bucket, 'cluster'>): Facts | undefined =>
  isFar(facts, bucket) ? facts.elsewhere?.facts(bucket.cluster!) : facts;

/** What a link on the way to a bucket carries, in bytes a second; undefined where none is on it. */
export const linkPerSecond = (facts: Facts, bucket: Bucket): number | undefined =>
  isFar(facts, bucket) ? linkTo(facts, bucket.cluster!)?.spec.bytesPerSecond : undefined;

/** What to look at where a bucket gives trouble: its workload, or over there the link to it. */
const bucketRef = (facts: Facts, bucket: Bucket): Ref =>
  isFar(facts, bucket)
    ? { kind: 'Link', namespace: '', name: linkTo(facts, bucket.cluster!)?.metadata.name ?? '' }
    : workloadRef(facts, bucket.namespace, bucket.store);

/** The workload that a bucket is asked of. */
export const storeOf = ({ namespace, store, cluster }: Bucket) => ({ namespace, workload: store, cluster });

/** Under which name a plan puts something into its bucket. Over there plans of several clusters may have one name: it begins with theirs. */
export const objectOf = (facts: Facts, { metadata: { namespace = '', name } }: BackupPlan, into: Bucket, what: string): string =>
  `${isFar(facts, into) ? `${facts.elsewhere?.here ?? ''}/` : ''}${namespace}.${name}/${what}`;

/** Why nothing can be put into a bucket, or read from it; undefined where it can be tried. */
export function bucketFault(facts: Facts, bucket: Bucket): Broken | undefined {
  const { namespace, store, cluster } = bucket;
  const there = storeFacts(facts, bucket);
  const far = isFar(facts, bucket);
  const link = far ? linkNamesFault(facts, cluster!) : undefined;
  const at = bucketRef(facts, bucket);
  const named = far ? `${namespace}/${store} of ${cluster}` : `${namespace}/${store}`;
  if (link || !there)
    return {
      says: `the store ${named} is out of reach: ${link?.says ?? 'that cluster is not known here'}`,
      remedy: 'See the sheet Links; the next run tries again.',
      at
    };
  const engine = engineRunning(there, namespace, store);
  if (engine === 'object-store') return undefined;
  return engine === undefined
    ? { says: `nothing of the store ${named} runs`, remedy: 'See its root line, or name another store.', at }
    : { says: `${named} is no object store`, remedy: 'Name one that is.', at };
}

/** What a refusal of the store means. */
export function putFault(facts: Facts, into: Bucket, says = ''): Broken {
  const { namespace, store, bucket } = into;
  return {
    says: `the store ${namespace}/${store} took nothing: ${says}`,
    remedy: says.includes('no bucket')
      ? `Make the bucket ${bucket} in its console.`
      : 'See the root line of the store; the next run tries again.',
    at: bucketRef(facts, into)
  };
}

/** Why nothing can be copied through the engine of a workload, or put back through it; undefined where it can be tried. */
export function engineFault(facts: Facts, namespace: string, workload: string): Broken | undefined {
  const engine = engineRunning(facts, namespace, workload);
  const at = workloadRef(facts, namespace, workload);
  if (engine === undefined)
    return {
      says: `nothing of ${namespace}/${workload} runs that could be copied`,
      remedy: 'See its root line; the next run tries again.',
      at
    };
  return undefined;
}

/** Whether an engine hands out its log, too, behind the copies that every engine hands out. */
export const handsOutLog = (engine: EngineId | undefined): boolean => engine !== undefined && engineCards[engine].copies === 'with-log';

/** Why the log of a workload can't be taken away; undefined where it can be tried. */
export function logFault(facts: Facts, namespace: string, workload: string): Broken | undefined {
  const engine = engineRunning(facts, namespace, workload);
  if (engine === undefined || handsOutLog(engine)) return engineFault(facts, namespace, workload);
  const at = workloadRef(facts, namespace, workload);
  return { says: `the engine ${engine} keeps no log that could be taken away`, remedy: 'Copy more often instead (how: copy).', at };
}
