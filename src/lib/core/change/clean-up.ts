import { keyOf, refOf, type ApiObject, type Claim, type Facts, type Kind, type KindMap, type Ref } from '../model';
import { plural } from '../shared';
import { operatedKinds, operatorCards, operatorDeployments, workloadOfTemplate, type OperatedKind, type World } from '../standin';
import { claimNamesOf, companionsOf, emptySpace, makersIn } from './companions';

type PersistentVolume = KindMap['PersistentVolume'];

/** What is to be kept of a workload that is cleaned up. */
export interface CleanUpKeeps {
  /** Claims with their data; without it volumes and what backends keep of them go, too. */
  readonly data: boolean;
  /** Snapshots and plans with their copies. */
  readonly copies: boolean;
}

/** One step of a clean-up as it came out: what is taken away in it, and what of that is still there after it. */
export interface CleanUpStep {
  readonly id: 'plans' | 'workload' | 'beside' | 'claims' | 'snapshots' | 'volumes' | 'assets' | 'namespace';
  readonly says: string;
  readonly refs: readonly Ref[];
  /** What went by itself with it: pods, volumes, what a backend kept. */
  readonly along: readonly Ref[];
  readonly tookMs: number;
  /** What is still there, with why. */
  readonly stuck: readonly { readonly ref: Ref; readonly why: string }[];
}

/** Something that stays after a clean-up. */
export interface CleanUpRest {
  readonly ref: Ref;
  readonly why: string;
  /** It goes on being held and paid for. */
  readonly costs: boolean;
}

/** A clean-up that was tried. */
export interface CleanUp {
  readonly steps: readonly CleanUpStep[];
  readonly rest: readonly CleanUpRest[];
  /** What is lost besides: what was to be kept, and what others keep in it. */
  readonly lost: readonly { readonly ref: Ref; readonly why: string }[];
  /** Whether all went that was to go, and nothing that was to stay. */
  readonly state: 'holds' | 'broken';
}

/** No step is waited for longer, in virtual ms; made up: above what a node takes to end a pod and a backend to take a volume away. */
const patienceMs = 900_000;

interface Trail {
  readonly claims: readonly Claim[];
  readonly volumes: ReadonlyMap<string, PersistentVolume>;
  /** What backends keep of its volumes. */
  readonly handles: ReadonlySet<string>;
}

/** Claims with their volumes and what backends keep of them, as long as all of it stands. */
function trailOf(facts: Facts, claims: readonly Claim[]): Trail {
  const volumes = new Map(
    claims.flatMap((one) => {
      const volume = facts.get('PersistentVolume', '', one.spec.volumeName ?? '');
      return volume ? [[volume.metadata.name, volume] as const] : [];
    })
  );
  return { claims, volumes, handles: new Set([...volumes.values()].flatMap((one) => one.spec.csi?.volumeHandle ?? [])) };
}

/** Why something is still there. */
function whyThere(one: ApiObject, before: string | undefined): string {
  if (one.metadata.uid !== before) return 'it came back: whoever made it makes it again, an operator, perhaps one of another cluster';
  const finalizers = one.metadata.finalizers ?? [];
  if (!one.metadata.deletionTimestamp) return 'it was not taken away';
  return finalizers.length ? `it waits for ${finalizers.join(', ')}` : 'it is still going';
}

/** Everything that is there, without what only tells: events and asks. */
function standing(facts: Facts): Map<string, Ref> {
  const found = new Map<string, Ref>();
  for (const kind of ['Pod', 'PersistentVolume', 'Asset', 'VolumeSnapshotContent', 'PersistentVolumeClaim'] as const)
    for (const one of facts.list(kind) as readonly ApiObject[]) found.set(keyOf(refOf(one)), refOf(one));
  return found;
}

/**
 * Takes a workload away on a fork, in the order that works, and looks what is left: first who copies it, then its members, what stands with it,
 * its claims, copies of them, volumes that were kept, what backends keep, and a namespace that nothing else stands in.
 * @param world a fork; it is altered
 * @returns undefined where there is no such workload
 */
export function tryCleanUp(world: World, namespace: string, name: string, keeps: CleanUpKeeps): CleanUp | undefined {
  const { store } = world;
  const mine = makersIn(store, namespace).filter((one) => workloadOfTemplate(one) === name);
  const [chief] = mine;
  if (!chief) return undefined;
  const owner = (chief.metadata.ownerReferences ?? []).find((one) => operatedKinds.includes(one.kind as OperatedKind));
  const body: Ref = owner ? { kind: owner.kind as Kind, namespace, name: owner.name } : refOf(chief);
  const all = companionsOf(store, refOf(chief));
  const beside = all.filter((one) => !one.shared);
  const of = (...kinds: readonly Kind[]) => beside.filter((one) => kinds.includes(one.ref.kind)).map((one) => one.ref);
  const shared = new Set(all.flatMap((one) => (one.shared ? [keyOf(one.ref)] : [])));
  // Those that go with their set by themselves are among them: their volumes may stay.
  const trail = trailOf(
    store,
    [...claimNamesOf(mine)].flatMap((one) => {
      const claim = store.get('PersistentVolumeClaim', namespace, one);
      return claim && !shared.has(keyOf(refOf(claim))) ? [claim] : [];
    })
  );
  const snapshots = of('VolumeSnapshot');
  const steps: CleanUpStep[] = [];
  const untried: Ref[] = [];
  // What lies in the bucket of another workload is nobody's to end with a plan.
  const inBuckets = store.list('BackupPlan', namespace).flatMap(({ metadata, spec }): CleanUpRest[] => {
    const { into } = spec;
    if (spec.workload !== name || !into) return [];
    const runs = store.list('BackupRun', namespace).filter((one) => one.spec.plan === metadata.name && one.status?.phase === 'Done');
    const where = into.cluster === undefined ? '' : ` in ${into.cluster}`;
    return runs.length
      ? [
          {
            ref: { kind: 'StatefulSet', namespace: into.namespace, name: into.store },
            why: `${plural(runs.length, 'copy', 'copies')} of it by ${metadata.name} in the bucket ${into.bucket}${where}`,
            costs: true
          }
        ]
      : [];
  });
  // And what others keep in this one goes with it.
  const copiesIn = store.list('BackupPlan').flatMap((one) => {
    const { into, workload } = one.spec;
    if (into?.store !== name || into.namespace !== namespace || into.cluster !== undefined) return [];
    return [{ ref: refOf(one), why: `copies of ${one.metadata.namespace}/${workload} lie in its bucket ${into.bucket}, and go with it` }];
  });

  const step = (id: CleanUpStep['id'], says: string, refs: readonly Ref[]): void => {
    const there = refs.filter((ref) => store.get(ref.kind, ref.namespace, ref.name));
    // Behind one that doesn't go nothing is tried: it would spoil what still runs.
    if (steps.some((one) => one.stuck.length)) untried.push(...there);
    if (!there.length || untried.length) return;
    const uids = new Map(there.map((ref) => [keyOf(ref), store.get(ref.kind, ref.namespace, ref.name)!.metadata.uid]));
    const before = standing(store);
    const fromMs = world.nowMs;
    const refused = new Map<string, string>();
    for (const ref of there) {
      if (!store.get(ref.kind, ref.namespace, ref.name)) continue;
      const [refusal] = world.act({ type: 'remove', ref });
      if (refusal) refused.set(keyOf(ref), refusal.message);
    }
    const still = () =>
      there.filter(
        (ref) => !refused.has(keyOf(ref)) && store.get(ref.kind, ref.namespace, ref.name)?.metadata.uid === uids.get(keyOf(ref))
      );
    for (const untilMs = fromMs + patienceMs; world.nowMs < untilMs;) {
      world.runUntil(Math.min(world.nowMs + 5_000, untilMs));
      if (!still().length && world.settled) break;
    }
    const now = standing(store);
    const asked = new Set(there.map(keyOf));
    steps.push({
      id,
      says,
      refs: there,
      along: [...before].flatMap(([key, ref]) => (now.has(key) || asked.has(key) ? [] : [ref])),
      tookMs: world.nowMs - fromMs,
      stuck: there.flatMap((ref) => {
        const found = store.get(ref.kind, ref.namespace, ref.name);
        const why = refused.get(keyOf(ref)) ?? (found && whyThere(found, uids.get(keyOf(ref))));
        return why === undefined ? [] : [{ ref, why }];
      })
    });
  };

  if (!keeps.copies) step('plans', 'Plans that copy it, and what follows or is followed.', of('BackupPlan', 'Mirror'));
  step('workload', 'The workload itself: its members end in their order.', [
    ...(body.kind === 'MemoryCluster'
      ? store
          .list('MemoryDatabase', namespace)
          .filter((one) => one.spec.cluster === body.name)
          .map(refOf)
      : []),
    body,
    ...of('StatefulSet', 'Deployment', 'DaemonSet').filter((ref) => !owner && keyOf(ref) !== keyOf(body))
  ]);
  step(
    'beside',
    'What is worth nothing without it.',
    beside
      .filter(
        ({ ref, takesAll }) =>
          !takesAll &&
          !['StatefulSet', 'Deployment', 'DaemonSet', 'PersistentVolumeClaim', 'VolumeSnapshot', 'BackupPlan', 'Mirror'].includes(ref.kind)
      )
      .map((one) => one.ref)
  );
  if (!keeps.copies) step('snapshots', 'Snapshots of its claims: copies that nothing else replaces.', snapshots);
  if (!keeps.data) {
    step('claims', 'Its claims, and with them all data that lies in their volumes.', trail.claims.map(refOf));
    step('volumes', 'Volumes that their class keeps.', [...trail.volumes.values()].map(refOf));
    step(
      'assets',
      'What backends keep, though no volume names it any more.',
      store
        .list('Asset')
        .filter((one) => trail.handles.has(one.metadata.name))
        .map(refOf)
    );
  }
  // Whoever stood in the namespace besides is looked for now: what went made room.
  const space = emptySpace(store, namespace);
  if (space && !keeps.data && !keeps.copies) step('namespace', 'The namespace: nothing else stands in it.', [refOf(space)]);

  const rest = restOf(
    store,
    namespace,
    name,
    trail,
    snapshots,
    all.filter((one) => one.shared),
    keeps
  );
  rest.push(...inBuckets);
  const known = new Set(rest.map((one) => keyOf(one.ref)));
  for (const ref of untried)
    if (!known.has(keyOf(ref))) rest.push({ ref, why: 'not tried, for what comes before it does not go', costs: false });
  const card = operatorCards.find((one) => one.kinds.some((two) => two.kind === body.kind));
  const others = card?.kinds.some((one) => store.list(one.kind).length > 0);
  for (const one of card ? operatorDeployments(store, card) : [])
    rest.push({
      ref: refOf(one),
      why: others ? 'the operator, which serves others too' : 'the operator, which is there for the whole cluster; it serves nobody now',
      costs: false
    });
  const gone = (refs: readonly Ref[]) => refs.filter((ref) => !store.get(ref.kind, ref.namespace, ref.name));
  const unkept = [...(keeps.data ? gone(trail.claims.map(refOf)) : []), ...(keeps.copies ? gone(snapshots) : [])].map((ref) => ({
    ref,
    why: 'was to be kept, and goes with its set or resource: alter what that takes along first'
  }));
  const broken = unkept.length > 0 || steps.some((one) => one.stuck.length > 0);
  return { steps, rest, lost: [...unkept, ...(keeps.data ? [] : copiesIn)], state: broken ? 'broken' : 'holds' };
}

/** What is there afterwards, and why. */
function restOf(
  facts: Facts,
  namespace: string,
  name: string,
  trail: Trail,
  snapshots: readonly Ref[],
  shared: readonly { readonly ref: Ref; readonly says: string }[],
  keeps: CleanUpKeeps
): CleanUpRest[] {
  const found: CleanUpRest[] = [];
  const add = (ref: Ref, why: string, costs: boolean) => {
    if (facts.get(ref.kind, ref.namespace, ref.name)) found.push({ ref, why, costs });
  };
  for (const { ref, says } of shared) add(ref, says, ref.kind === 'PersistentVolumeClaim');
  const held = keeps.data ? 'kept with its data, as was asked' : 'still there';
  for (const one of trail.claims) add(refOf(one), held, true);
  for (const [, one] of trail.volumes) add(refOf(one), keeps.data ? 'the volume of a claim that is kept' : 'still there', true);
  const copied = new Set(snapshots.map((ref) => ref.name));
  for (const ref of snapshots) add(ref, keeps.copies ? 'a copy that is kept, as was asked' : 'still there', false);
  for (const one of facts.list('VolumeSnapshotContent'))
    if (one.spec.volumeSnapshotRef.namespace === namespace && copied.has(one.spec.volumeSnapshotRef.name ?? ''))
      add(refOf(one), keeps.copies ? 'what the backend keeps of a copy' : 'its class keeps what backends have of it', true);
  const named = new Set(facts.list('PersistentVolume').flatMap((one) => one.spec.csi?.volumeHandle ?? []));
  for (const one of facts.list('Asset')) {
    const source = one.spec.snapshotOf;
    const why = keeps.data
      ? 'the data itself'
      : named.has(one.metadata.name)
        ? 'the data itself, still there'
        : 'no volume names it any more';
    if (trail.handles.has(one.metadata.name)) add(refOf(one), why, true);
    else if (source !== undefined && trail.handles.has(source)) add(refOf(one), 'what a backend keeps of a snapshot', true);
  }
  for (const plan of facts.list('BackupPlan', namespace))
    if (plan.spec.workload === name)
      add(refOf(plan), keeps.copies ? 'kept with its copies, as was asked; its runs fail from now on' : 'still there', false);
  return found;
}
