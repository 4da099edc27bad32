import { bytesOf } from '../shared';
import {
  claimsOf,
  keyOf,
  kindEntries,
  memberClaim,
  ordinalsOf,
  pointersOf,
  refOf,
  selectorMatches,
  selectsPodsOf,
  type ApiObject,
  type DaemonSet,
  type Deployment,
  type Facts,
  type Kind,
  type Ref,
  type StatefulSet
} from '../model';
import { partOfLabel, sentByPerson, takesAlongMark, workloadOfTemplate } from '../standin';
import { claimLoss } from './effects';
import type { Companion, SheetLine } from './types';

/** Who makes members. */
export type Maker = StatefulSet | Deployment | DaemonSet;
const makerKinds = ['StatefulSet', 'Deployment', 'DaemonSet'] as const;

/** Everybody in a namespace who makes members. */
export const makersIn = (facts: Facts, namespace: string): Maker[] =>
  makerKinds.flatMap((kind) => facts.list(kind, namespace) as readonly Maker[] as Maker[]);

/** Names that objects lead to, as keys. */
const ledTo = (objects: readonly ApiObject[]): Set<string> => new Set(objects.flatMap((one) => pointersOf(one).map(keyOf)));

/** Everything of a namespace that isn't made by the cluster itself. */
const sentIn = (facts: Facts, namespace: string): ApiObject[] =>
  kindEntries.filter((one) => one.namespaced && !one.derived).flatMap((one) => facts.list(one.kind, namespace) as ApiObject[]);

/** Names of the claims that makers' pods mount: those that are named, and those of each member. */
export const claimNamesOf = (makers: readonly Maker[]): Set<string> =>
  new Set(
    makers.flatMap((one) => [
      ...claimsOf(one.spec.template.spec),
      ...(one.kind === 'StatefulSet'
        ? ordinalsOf(one).flatMap((ordinal) =>
            (one.spec.volumeClaimTemplates ?? []).map((two) => memberClaim(two.metadata.name, one, ordinal))
          )
        : [])
    ])
  );

/** A namespace in which nothing stands any more that people sent or that holds data, but for what is passed over. */
export function emptySpace(facts: Facts, namespace: string, passed: ReadonlySet<string> = new Set()): ApiObject | undefined {
  const left = sentIn(facts, namespace).some(
    (one) => !passed.has(keyOf(refOf(one))) && (sentByPerson(one) || one.kind === 'PersistentVolumeClaim' || one.kind === 'VolumeSnapshot')
  );
  return left ? undefined : facts.get('Namespace', '', namespace);
}

/** Claims that a set takes along by itself when it goes. */
const ownClaimsGone = (one: Maker): string[] =>
  one.kind === 'StatefulSet' && one.spec.persistentVolumeClaimRetentionPolicy?.whenDeleted === 'Delete'
    ? ordinalsOf(one).flatMap((ordinal) => (one.spec.volumeClaimTemplates ?? []).map((two) => memberClaim(two.metadata.name, one, ordinal)))
    : [];

/** What stands with a workload and is worth nothing without it; claims and snapshots, which hold data, come last and stay unless asked for. */
function ofWorkload(facts: Facts, chief: Maker): Companion[] {
  const namespace = chief.metadata.namespace ?? '';
  const workload = workloadOfTemplate(chief);
  const makers = makersIn(facts, namespace);
  const mine = makers.filter((one) => workloadOfTemplate(one) === workload);
  const others = makers.filter((one) => !mine.includes(one));
  const needed = ledTo(others);
  const led = ledTo(mine);
  const labels = mine.map((one) => one.spec.template.metadata?.labels);
  const isOf = (one: ApiObject) =>
    one.metadata.labels?.[partOfLabel] === workload || (one as { spec?: { workload?: string } }).spec?.workload === workload;
  const found: Companion[] = [];
  const seen = new Set<string>([keyOf(refOf(chief))]);
  // What the workload itself says that goes with it, where it says so.
  const takes = chief.metadata.annotations?.[takesAlongMark];
  const chosen = (one: ApiObject, goes: boolean): boolean => {
    if (takes === undefined || takes === 'all') return goes || (takes === 'all' && one.kind === 'PersistentVolumeClaim');
    if (one.kind === 'PersistentVolumeClaim') return takes === 'claims';
    return goes && (makerKinds as readonly Kind[]).includes(one.kind);
  };
  const add = (
    one: ApiObject,
    says: string,
    usual: boolean,
    lost: readonly SheetLine[] = [],
    used: readonly string[] | boolean = false
  ) => {
    const common = used === true || (Array.isArray(used) && used.length > 0);
    const ref = refOf(one);
    const goes = !common && chosen(one, usual);
    if (seen.has(keyOf(ref)) || one.metadata.deletionTimestamp) return;
    seen.add(keyOf(ref));
    found.push({ ref, says, goes, lost, ...(common ? { shared: true as const } : {}) });
  };
  const shared = (one: ApiObject) => needed.has(keyOf(refOf(one)));
  for (const one of mine)
    add(
      one,
      'the same workload',
      true,
      ownClaimsGone(one).flatMap((name) => claimLoss(facts, namespace, name))
    );
  for (const one of facts.list('Service', namespace)) {
    if (!one.spec.selector || !mine.some((maker) => selectsPodsOf(one.spec.selector, maker))) continue;
    const more = others.filter((maker) => selectsPodsOf(one.spec.selector, maker)).map((maker) => maker.metadata.name);
    add(one, more.length ? `also leads to ${more.join(', ')}` : 'leads to its members only', !more.length, [], more);
  }
  for (const one of facts.list('PodDisruptionBudget', namespace))
    if (labels.some((pairs) => selectorMatches(one.spec.selector, pairs)))
      add(
        one,
        'says how many of its members may be away',
        true,
        [],
        others.some((maker) => selectorMatches(one.spec.selector, maker.spec.template.metadata?.labels))
      );
  const custom = (['Topic', 'Account', 'Certificate', 'Issuer', 'Tunnel', 'Rest'] as const).flatMap(
    (kind) => facts.list(kind, namespace) as readonly ApiObject[] as ApiObject[]
  );
  for (const one of custom)
    if (isOf(one) || (one.kind === 'Certificate' && mine.some((maker) => maker.metadata.name === one.spec.set)))
      add(one, 'belongs to it', true);
  const known = ledTo(found.flatMap(({ ref }) => facts.get(ref.kind, ref.namespace, ref.name) ?? []));
  for (const kind of ['ConfigMap', 'Secret', 'ServiceAccount'] as const)
    for (const one of facts.list(kind, namespace) as readonly ApiObject[]) {
      const key = keyOf(refOf(one));
      const made =
        kind === 'Secret' &&
        custom.some((two) => isOf(two) && (two as { spec?: { secret?: string; secretName?: string } }).spec?.secret === one.metadata.name);
      if (!led.has(key) && !known.has(key) && !isOf(one) && !made) continue;
      if (shared(one)) add(one, 'others read it too', false, [], true);
      else add(one, kind === 'Secret' ? 'nobody else reads it; its values are gone for good' : 'nobody else uses it', true);
    }
  const claims = claimNamesOf(mine);
  const takenBy = new Set(mine.flatMap(ownClaimsGone));
  const gib = (size: unknown) => `${Math.round(bytesOf(String(size ?? '0')) / 2 ** 30).toLocaleString('en')} GiB`;
  for (const name of [...claims].sort()) {
    const one = facts.get('PersistentVolumeClaim', namespace, name);
    // Those that a set takes along by itself are said to go with it.
    if (!one || takenBy.has(name)) continue;
    const users = others.filter((maker) => claimsOf(maker.spec.template.spec).includes(name)).map((maker) => maker.metadata.name);
    const size = gib(one.status?.capacity?.storage ?? one.spec.resources.requests.storage);
    add(
      one,
      users.length ? `${users.join(', ')} mounts it too` : `stays, and its ${size} go on being held and paid for`,
      false,
      claimLoss(facts, namespace, name),
      users
    );
  }
  for (const one of facts.list('VolumeSnapshot', namespace))
    if (claims.has(one.spec.source.persistentVolumeClaimName ?? ''))
      add(one, `a copy of ${one.spec.source.persistentVolumeClaimName}`, false, [
        { ref: refOf(one), says: 'a copy that nothing else replaces' }
      ]);
  for (const one of facts.list('BackupPlan', namespace))
    if (one.spec.workload === workload) add(one, 'copies it; while it stays its copies can be put back, and its runs fail', false);
  for (const one of facts.list('Mirror', namespace))
    if (one.spec.workload === workload) add(one, 'lets it follow another one, and has nothing to do without it', true);
  const space = emptySpace(facts, namespace, seen);
  if (space)
    found.push({ ref: refOf(space), says: 'nothing else stands in it; with it all above goes', goes: false, lost: [], takesAll: true });
  return found;
}

/** Who has to do without something that many lean on: a class, a driver. Nothing of it can be ticked. */
export function leaning(facts: Facts, object: ApiObject): SheetLine[] {
  if (object.kind === 'StorageClass') {
    const { name } = object.metadata;
    const claims = facts.list('PersistentVolumeClaim').filter((one) => one.spec.storageClassName === name);
    const bound = claims.filter((one) => one.status?.phase === 'Bound');
    const waiting = claims.filter((one) => one.status?.phase !== 'Bound');
    const sets = facts
      .list('StatefulSet')
      .filter((one) => one.spec.volumeClaimTemplates?.some((two) => two.spec.storageClassName === name));
    return [
      ...bound.slice(0, 20).map((one) => ({ ref: refOf(one), says: 'stays bound, with its data; it can grow no more' })),
      ...waiting.slice(0, 20).map((one) => ({ ref: refOf(one), says: 'will wait for ever' })),
      ...sets.slice(0, 20).map((one) => ({ ref: refOf(one), says: 'runs on; new members of it will wait for a volume for ever' }))
    ];
  }
  if (object.kind === 'CSIDriver')
    return facts
      .list('StorageClass')
      .filter((one) => one.provisioner === object.metadata.name)
      .map((one) => ({ ref: refOf(one), says: 'stays, and nobody answers to it any more' }));
  if (object.kind === 'ConfigMap' || object.kind === 'Secret' || object.kind === 'ServiceAccount') {
    const key = keyOf(refOf(object));
    const needs = (one: ApiObject) => pointersOf(one).some((two) => keyOf(two) === key && !two.optional);
    return makersIn(facts, object.metadata.namespace ?? '')
      .filter(needs)
      .slice(0, 20)
      .map((one) => ({ ref: refOf(one), says: 'runs on; members of it that start anew wait for it' }));
  }
  return [];
}

/** What stands with an object and may go with it. Only workloads have such. */
export function companionsOf(facts: Facts, ref: Ref): Companion[] {
  const object = facts.get(ref.kind, ref.namespace, ref.name);
  return object && (makerKinds as readonly Kind[]).includes(object.kind) ? ofWorkload(facts, object as Maker) : [];
}
