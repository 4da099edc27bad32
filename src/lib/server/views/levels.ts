import { bytesOf } from '$core/shared';
import {
  classOf,
  conditionOf,
  isReady,
  memberClaim,
  memberName,
  nodeReady,
  takesRoom,
  ordinalsOf,
  waitsForConsumer,
  type StatefulSet,
  type Deployment,
  podsMadeBy
} from '$core/model';
import { plansPrint } from '$core/drills';
import { isStale, lastTouchedWorkloadMs, standingPrint, workloadNamed } from '$core/proofs';
import { breakOf, causeOf, rootLine, supplyGates, type Joint, type State } from '$core/rootline';
import { operatedKinds } from '$core/standin';
import { isDamaged } from './claims';
import { exportStack } from './export-levels';
import { deploymentsOf, setsOf, type KeptProofs, type PlainRef, type Scene } from './scene';

/** One level of the stack. */
export interface Level {
  readonly id: 'ground' | 'supply' | 'claims' | 'members' | 'proofs';
  readonly title: string;
  readonly state: State;
  readonly count: string;
  readonly says: string;
  /** Broken in a part only: what stands above doesn't all rest on it. */
  readonly partial?: boolean;
}

/** The stack of one rehearsal, and its first break. */
export interface Stack {
  readonly levels: readonly Level[];
  readonly sentence: string;
  readonly trace: PlainRef | null;
  readonly broken: boolean;
  /** The first proof that fails, where that is the break. */
  readonly proof: { readonly namespace: string; readonly set: string; readonly id: string } | null;
  readonly claims: { readonly bound: number; readonly wanted: number };
  readonly members: { readonly ready: number; readonly wanted: number };
}

const level = (id: Level['id'], title: string, state: State, count: string, says: string): Level => ({ id, title, state, count, says });

function ground({ facts }: Scene): Level {
  const nodes = facts.list('Node');
  const down = nodes.filter((node) => !nodeReady(node));
  if (down.length) return level('ground', 'Ground', 'broken', String(nodes.length), `${down.length} not ready`);
  return level('ground', 'Ground', nodes.length ? 'holds' : 'broken', String(nodes.length), nodes.length ? '' : 'no nodes');
}

function supply({ facts }: Scene): Level {
  const classes = facts.list('StorageClass');
  const drivers = facts.list('CSIDriver');
  if (!classes.length && !drivers.length) return level('supply', 'Supply', 'waiting', '0', 'no driver, no class');
  const gates = classes.map((one) => supplyGates(facts, one));
  const broken = gates.flatMap((list) => list.find((one) => one.state === 'broken') ?? []);
  const [worst] = broken;
  const words = `${drivers.length} ${drivers.length === 1 ? 'driver' : 'drivers'}, ${classes.length} ${classes.length === 1 ? 'class' : 'classes'}`;
  if (worst) {
    const says = /^not installed/.test(worst.says)
      ? 'no driver answers'
      : worst.joint === 'target'
        ? worst.says
        : worst.says.split(':')[0]!;
    return { ...level('supply', 'Supply', 'broken', String(classes.length), says), partial: broken.length < classes.length };
  }
  if (gates.flat().some((one) => one.state === 'settling')) {
    const moving = gates.flat().find((one) => one.state === 'settling');
    return level(
      'supply',
      'Supply',
      'settling',
      String(classes.length),
      moving?.joint === 'driver' ? 'a driver comes up' : (moving?.says ?? '')
    );
  }
  return level('supply', 'Supply', 'holds', String(classes.length), words);
}

/** Claims that exist, and those that sets will yet ask for. */
function wantedClaims({ facts }: Scene): {
  bound: number;
  wanted: number;
  pending: number;
  unused: number;
  lonely: number;
  toCome: number;
  damaged: number;
  gib: number;
} {
  const names = new Set<string>();
  let bound = 0;
  let unused = 0;
  let lonely = 0;
  let damaged = 0;
  let bytes = 0;
  for (const claim of facts.list('PersistentVolumeClaim')) {
    names.add(`${claim.metadata.namespace}/${claim.metadata.name}`);
    if (!facts.podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name).some(takesRoom)) lonely += 1;
    if (claim.status?.phase !== 'Bound') {
      const users = facts.podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name);
      if (!users.length && waitsForConsumer(classOf(facts, claim.spec))) unused += 1;
      continue;
    }
    bound += 1;
    if (isDamaged(facts, claim)) damaged += 1;
    bytes += bytesOf(claim.status.capacity?.storage ?? '0');
  }
  const pending = names.size - bound - unused;
  const there = names.size;
  for (const set of setsOf(facts)) {
    for (const ordinal of ordinalsOf(set)) {
      for (const template of set.spec.volumeClaimTemplates ?? [])
        names.add(`${set.metadata.namespace}/${memberClaim(template.metadata.name, set, ordinal)}`);
    }
  }
  return { bound, wanted: names.size, pending, unused, lonely, damaged, toCome: names.size - there, gib: Math.round(bytes / 2 ** 30) };
}

/** Whether a member waits on something below its own level. */
const waitsBelow = ({ joint }: Joint): boolean => ['backend', 'rights', 'driver', 'class', 'volume', 'claim'].includes(joint);

interface SetState {
  readonly set: StatefulSet;
  readonly ready: number;
  readonly wanted: number;
}

const readyIn = ({ facts }: Scene, set: StatefulSet): SetState => {
  const ordinals = ordinalsOf(set);
  const ready = ordinals.filter((one) => isReady(facts.get('Pod', set.metadata.namespace ?? '', memberName(set, one)))).length;
  return { set, ready, wanted: ordinals.length };
};

/** Sets that aren't whole, looked at until one is found broken; so many at the most. */
const mostTraced = 12;

interface Found {
  readonly name: string;
  readonly trace: PlainRef;
  readonly joint: Joint;
  readonly waiting: number;
}

function firstBreak(scene: Scene, sets: readonly SetState[], deployments: readonly Deployment[]): Found | undefined {
  for (const { set, ready, wanted } of sets.filter((one) => one.ready < one.wanted).slice(0, mostTraced)) {
    const trace = { kind: 'StatefulSet' as const, namespace: set.metadata.namespace ?? '', name: set.metadata.name };
    const line = rootLine(scene.facts, trace);
    const joint = line && breakOf(line);
    if (joint) return { name: set.metadata.name, trace, joint, waiting: wanted - ready };
  }
  for (const one of deployments.filter((two) => (two.status?.readyReplicas ?? 0) < (two.spec.replicas ?? 1)).slice(0, mostTraced)) {
    const waiting = podsMadeBy(scene.facts, one).filter((two) => !isReady(two));
    const [pod] = waiting;
    const trace = pod && { kind: 'Pod' as const, namespace: pod.metadata.namespace ?? '', name: pod.metadata.name };
    const line = trace && rootLine(scene.facts, trace);
    const joint = line && breakOf(line);
    if (joint) return { name: one.metadata.name, trace, joint, waiting: waiting.length };
  }
  // Custom resources that nobody looks after have no members yet that could wait.
  for (const kind of operatedKinds)
    for (const { metadata, status } of scene.facts.list(kind)) {
      if (conditionOf(status?.conditions, 'Ready')?.status === 'True') continue;
      const trace = { kind, namespace: metadata.namespace ?? '', name: metadata.name };
      const line = rootLine(scene.facts, trace);
      const joint = line && breakOf(line);
      if (joint) return { name: metadata.name, trace, joint, waiting: 0 };
    }
  return undefined;
}

/** When what the proofs of some sets speak of last changed, and what copies them; a set that has gone is left out. */
export function touchedAt({ facts, history }: Scene, sets: readonly { namespace: string; name: string }[]) {
  const changes = history.changes.slice(0, history.countAt(facts.nowMs));
  const distinct = new Map(sets.map((one) => [`${one.namespace}/${one.name}`, one]));
  return [...distinct.values()].flatMap(({ namespace, name }) => {
    const workload = workloadNamed(facts, namespace, name);
    if (!workload) return [];
    const standing = { atMs: lastTouchedWorkloadMs(workload, changes), stands: standingPrint(facts, workload) };
    return [{ namespace, name, ...standing, plans: plansPrint(facts, namespace, name) }];
  });
}

function proofLevel(scene: Scene, proofs: KeptProofs): Level {
  if (!proofs.length) return level('proofs', 'Proofs', 'waiting', '–', '');
  const broken = proofs.filter((one) => one.state === 'broken');
  const sets = proofs.map((one) => ({ namespace: one.namespace, name: one.set }));
  const touched = new Map(touchedAt(scene, sets).map((one) => [`${one.namespace}/${one.name}`, one]));
  const stale = proofs.filter((one) => isStale(touched.get(`${one.namespace}/${one.set}`), one));
  const ok = proofs.filter((one) => one.state === 'holds' && !stale.includes(one)).length;
  const state: State = broken.length ? 'broken' : stale.length || ok < proofs.length ? 'settling' : 'holds';
  return level(
    'proofs',
    'Proofs',
    state,
    `${ok}/${proofs.length}`,
    broken.length
      ? `${broken[0]!.set}: ${broken[0]!.title} fails${broken.length > 1 ? `, ${broken.length - 1} more` : ''}`
      : stale.length
        ? `${stale.length} stale`
        : ''
  );
}

/** Looks the whole rehearsal over, from the ground up. */
export function stackOf(scene: Scene, proofs: KeptProofs): Stack {
  if (!scene.facts.knowsProvider) return exportStack(scene.facts);
  const sets = setsOf(scene.facts).map((set) => readyIn(scene, set));
  const deployments = deploymentsOf(scene.facts);
  const wanted = sets.reduce((sum, one) => sum + one.wanted, 0) + deployments.reduce((sum, one) => sum + (one.spec.replicas ?? 1), 0);
  const ready = sets.reduce((sum, one) => sum + one.ready, 0) + deployments.reduce((sum, one) => sum + (one.status?.readyReplicas ?? 0), 0);
  const found = firstBreak(scene, sets, deployments);
  const base = [ground(scene), supply(scene)];
  const claims = wantedClaims(scene);
  const held = base.some((one) => one.state === 'broken' && !one.partial);
  const claimState: State = claims.damaged
    ? 'broken'
    : !claims.wanted
      ? 'waiting'
      : claims.bound + claims.unused === claims.wanted
        ? 'holds'
        : found
          ? 'waiting'
          : 'settling';
  const first = found?.name;
  const memberState: State = !wanted
    ? 'waiting'
    : ready === wanted
      ? 'holds'
      : found
        ? held || waitsBelow(found.joint)
          ? 'waiting'
          : 'broken'
        : 'settling';
  const levels: Level[] = [
    ...base,
    level(
      'claims',
      'Claims',
      claimState,
      claims.wanted ? `${claims.bound}/${claims.wanted}` : '0',
      claims.damaged
        ? `${claims.damaged} damaged`
        : claims.pending
          ? `${claims.pending} Pending${claims.toCome ? `, ${claims.toCome} to come` : ''}`
          : claims.lonely
            ? `${claims.lonely} held by nobody`
            : claims.bound
              ? `${claims.gib.toLocaleString('en')} GiB`
              : ''
    ),
    level(
      'members',
      'Members',
      memberState,
      wanted ? `${ready}/${wanted}` : '0',
      !wanted ? '' : found ? `${first} waits` : ready === wanted ? 'all ready' : 'coming up'
    ),
    proofLevel(scene, proofs)
  ];
  return {
    levels,
    ...sentenceOf(levels, found),
    proof: found ? null : (failing(proofs) ?? null),
    claims: { bound: claims.bound, wanted: claims.wanted },
    members: { ready, wanted }
  };
}

const failing = (proofs: KeptProofs) => {
  const one = proofs.find((two) => two.state === 'broken');
  return one && { namespace: one.namespace, set: one.set, id: one.id };
};

function sentenceOf(levels: readonly Level[], found: ReturnType<typeof firstBreak>): Pick<Stack, 'sentence' | 'trace' | 'broken'> {
  if (found) {
    const { name, trace, joint, waiting } = found;
    return {
      sentence: waiting
        ? `${waiting} ${waiting === 1 ? 'member' : 'members'} of ${name} ${waiting === 1 ? 'waits' : 'wait'}: ${causeOf(joint)}.`
        : `${trace.kind} ${name} waits: ${causeOf(joint)}.`,
      trace,
      broken: true
    };
  }
  const broken = levels.find((one) => one.state === 'broken');
  if (broken) return { sentence: `${broken.title}: ${broken.says}.`, trace: null, broken: true };
  const settling = levels.find((one) => one.state === 'settling');
  if (settling) return { sentence: `${settling.title}: ${settling.says || settling.count}.`, trace: null, broken: false };
  const holds = levels.filter((one) => one.state === 'holds');
  if (holds.length === levels.length) return { sentence: 'Holds at every level.', trace: null, broken: false };
  const next = levels.find((one) => one.state === 'waiting');
  const words: Record<Level['id'], string> = {
    ground: '',
    supply: 'No driver and no class yet, so nothing can be handed out.',
    claims: 'Nothing has been claimed yet.',
    members: 'No workloads yet.',
    proofs: 'Holds as far as it stands; nothing is proved yet.'
  };
  return { sentence: next ? words[next.id] : '', trace: null, broken: false };
}
