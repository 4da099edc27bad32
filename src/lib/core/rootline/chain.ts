import {
  factsIn,
  keyOf,
  ordinalIn,
  setAskingFor,
  type ApiObject,
  type BackupPlan,
  type DocumentSet,
  type Facts,
  type Mirror,
  type Ref
} from '../model';
import {
  membersOver,
  operatedKinds,
  operatorFault,
  operatorNamed,
  operatorOf,
  operatorPods,
  runsOf,
  linkNamesFault,
  storeFacts,
  workloadRef,
  type OperatedKind
} from '../standin';
import { jointRules } from './joints';
import { claimPosition, makerPositions, memberPosition, podPosition, setPositions, snapshotPosition, volumePosition } from './position';
import { exportTrunks } from './exports/line';
import { jointIds, type JointId } from './joints';
import type { Look, Position, JointRule } from './types';

/** One joint of a root line, shared by the trunks that it carries. */
export interface Joint extends Look {
  readonly joint: JointId;
  readonly title: string;
  readonly why: string;
  /** Places of the trunks (see {@link RootLine.trunks}) that run through it. */
  readonly trunks: readonly number[];
}

/** One member (or claim) that the line was asked about. */
export interface Trunk {
  readonly label: string;
  readonly ref: Ref;
  /** The cluster that it stands in, where that is another one than was asked about. */
  readonly cluster?: string;
  /** The lowest broken joint of this trunk. */
  readonly firstBreak?: JointId;
}

/** The chain from what somebody asked about, down to the disk. */
export interface RootLine {
  readonly subject: Ref;
  readonly nowMs: number;
  readonly trunks: readonly Trunk[];
  /** From the root up. */
  readonly joints: readonly Joint[];
  readonly firstBreak: JointId | null;
  /** Drawn from an export of a real cluster: what it doesn't tell is unseen. */
  readonly exported?: true;
}

interface Placed {
  readonly joint: JointId;
  readonly look: Look;
}

const rank = new Map<JointId, number>(jointIds.map((id, i) => [id, i]));

/** What is looked at in another cluster says so; what an operator, or a plan of copies, says of it all stands where it stands. */
function looksAt(position: Position): Placed[] {
  const { over } = position;
  const found = looksHere(position);
  if (!over) return found;
  const here = over.home.elsewhere?.here;
  return found.map(({ joint, look }) => {
    if (joint === 'resource' || joint === 'copies') return { joint, look };
    const { in: sent = over.cluster, ...remedy } = look.remedy ?? { text: '' };
    const mends = look.remedy ? { remedy: { ...remedy, ...(sent === here ? {} : { in: sent }) } } : {};
    return { joint, look: { ...look, ...mends, cluster: over.cluster } };
  });
}

function looksHere(position: Position): Placed[] {
  const looks: Placed[] = [];
  for (const rule of jointRules) {
    if (rule.perClaim) {
      for (const claim of position.claims) {
        const look = rule.look(position, claim);
        if (look) looks.push({ joint: rule.id, look });
      }
    } else {
      const look = rule.look(position);
      if (look) looks.push({ joint: rule.id, look });
    }
  }
  return looks;
}

const lowestBreak = (looks: readonly Placed[]): JointId | undefined => looks.find((one) => one.look.state === 'broken')?.joint;

/** Above the first break nothing can settle: what doesn't hold or break by itself waits on it. */
function resting(looks: readonly Placed[]): Placed[] {
  const lowest = lowestBreak(looks);
  if (!lowest) return [...looks];
  return looks.map(({ joint, look }) =>
    rank.get(joint)! > rank.get(lowest)! && (look.state === 'settling' || look.overdueSinceMs !== undefined)
      ? { joint, look: { ...withoutAge(look), state: 'waiting' as const } }
      : { joint, look }
  );
}

function withoutAge(look: Look): Look {
  const { overdueSinceMs: _, ...rest } = look;
  return rest;
}

const identity = ({ joint, look }: Placed): string =>
  `${joint}|${look.cluster ?? ''}|${look.state}|${look.label}|${look.objects.map(keyOf).join(',')}|${look.objects.length ? '' : look.says}`;

/** Joints that only exports have: a stand-in refuses at once, and whoever sends is told. */
const refusals: Partial<Record<JointId, Pick<JointRule, 'title' | 'why' | 'shared'>>> = {
  quota: {
    shared: true,
    title: 'Quota',
    why: 'A namespace may hold so many objects and ask for so much. Whoever makes members is refused beyond that, and only its events say so.'
  },
  admitted: {
    shared: true,
    title: 'Let in',
    why: 'Before an object stands, the cluster asks its own rules and webhooks. A template that they refuse makes no members, and only the events of the owner say so.'
  }
};
const ruleOf = (id: JointId): Pick<JointRule, 'title' | 'why' | 'shared'> => refusals[id] ?? jointRules.find((one) => one.id === id)!;

function merge(lines: readonly (readonly Placed[])[]): Joint[] {
  const merged = new Map<string, Joint>();
  lines.forEach((line, trunk) => {
    for (const placed of line) {
      const key = ruleOf(placed.joint).shared && placed.look.label !== '–' ? identity(placed) : `${identity(placed)}#${trunk}`;
      const known = merged.get(key);
      const rule = ruleOf(placed.joint);
      if (!known) merged.set(key, { ...placed.look, joint: placed.joint, title: rule.title, why: rule.why, trunks: [trunk] });
      else if (!known.trunks.includes(trunk)) {
        const evidence = [...known.evidence];
        for (const one of placed.look.evidence)
          if (!evidence.some((other) => JSON.stringify(other) === JSON.stringify(one))) evidence.push(one);
        merged.set(key, { ...known, trunks: [...known.trunks, trunk], evidence });
      }
    }
  });
  return [...merged.values()].sort((a, b) => rank.get(a.joint)! - rank.get(b.joint)! || (a.trunks[0] ?? 0) - (b.trunks[0] ?? 0));
}

const isOperated = (kind: string): kind is OperatedKind => (operatedKinds as readonly string[]).includes(kind);

/** A custom resource stands on its members where it has any, else on its operator, else on nothing. */
function resourcePositions(facts: Facts, resource: ApiObject & { kind: OperatedKind }): Position[] {
  const { name, namespace = '' } = resource.metadata;
  const fault = operatorFault(facts, operatorOf(resource.kind)!, namespace);
  if (resource.kind === 'DocumentSet' && resource.spec.clusters && !fault) return overPositions(facts, resource);
  const set = facts.get('StatefulSet', namespace, resource.kind === 'MemoryDatabase' ? resource.spec.cluster : name);
  if (set && resource.kind !== 'OperatorOrder') return setPositions(facts, set).map((one) => ({ ...one, resource }));
  const { pod } = fault ?? {};
  const ordered = resource.kind === 'OperatorOrder' && !pod ? operatorNamed(resource.spec.operator) : undefined;
  const stands = pod ?? (ordered && operatorPods(facts, ordered)[0]);
  return [stands ? { ...podPosition(facts, stands), resource } : { facts, namespace, claims: [], resource }];
}

/** One over several clusters stands on its members in each of them, also on those that aren't made there yet. */
const overPositions = (facts: Facts, resource: DocumentSet): Position[] =>
  membersOver(facts, resource).flatMap(({ entry: { cluster }, members }) => {
    const { name, namespace = '' } = resource.metadata;
    const there = factsIn(facts, cluster);
    const set = there?.get('StatefulSet', namespace, name);
    const more = { resource, over: { home: facts, cluster } };
    if (there && set) return setPositions(there, set).map((one) => ({ ...one, ...more }));
    return members.map((podName): Position => {
      const ordinal = Number(podName.slice(name.length + 1));
      return { facts: there ?? facts, namespace, podName, ordinal, claims: [], ...more };
    });
  });

/** A plan of copies stands on what its last run broke at; where that didn't fail, on nothing that matters. */
function planPositions(facts: Facts, plan: BackupPlan): Position[] {
  const { name, namespace = '' } = plan.metadata;
  const last = runsOf(facts, namespace, name).at(-1)?.status;
  const at = last?.phase === 'Failed' ? last.at : undefined;
  const { into } = plan.spec;
  const there = at?.kind === 'Link' && into && !linkNamesFault(facts, into.cluster ?? '') ? storeFacts(facts, into) : undefined;
  const store = there && positionsOf(there, workloadRef(there, into!.namespace, into!.store));
  if (store?.length) return store.map((one) => ({ ...one, plan, over: { home: facts, cluster: into!.cluster! } }));
  const found = at && at.kind !== 'BackupPlan' ? positionsOf(facts, at as Ref) : undefined;
  return found?.length ? found.map((one) => ({ ...one, plan })) : [{ facts, namespace, claims: [], plan }];
}

/** A mirror stands on what keeps it from going on: the link, its own workload, or the one that it follows. */
function mirrorPositions(facts: Facts, mirror: Mirror): Position[] {
  const { namespace = '' } = mirror.metadata;
  const { from } = mirror.spec;
  const at = mirror.status?.phase === 'Behind' ? mirror.status.at : undefined;
  const there = at && !linkNamesFault(facts, from.cluster) ? factsIn(facts, from.cluster) : undefined;
  const own = at && !['Link', 'Mirror'].includes(at.kind) ? positionsOf(facts, at as Ref) : undefined;
  if (own?.length) return own.map((one) => ({ ...one, mirror }));
  const its = there && positionsOf(there, workloadRef(there, from.namespace, from.workload));
  if (its?.length) return its.map((one) => ({ ...one, mirror, over: { home: facts, cluster: from.cluster } }));
  return [{ facts, namespace, claims: [], mirror }];
}

function positionsOf(facts: Facts, subject: Ref): Position[] | undefined {
  const { kind, namespace, name } = subject;
  if (kind === 'StatefulSet') {
    const set = facts.get('StatefulSet', namespace, name);
    return set && setPositions(facts, set);
  }
  if (kind === 'Pod') {
    const pod = facts.get('Pod', namespace, name);
    const set = pod ? undefined : setAskingFor(facts, namespace, name);
    return pod ? [podPosition(facts, pod)] : set && [memberPosition(facts, set, ordinalIn(set, name)!)];
  }
  if (kind === 'Deployment' || kind === 'DaemonSet' || kind === 'Job') {
    const maker = facts.get(kind, namespace, name);
    return maker && makerPositions(facts, maker);
  }
  if (kind === 'PersistentVolumeClaim')
    return facts.get('PersistentVolumeClaim', namespace, name) && [claimPosition(facts, namespace, name)];
  if (kind === 'PersistentVolume') {
    const volume = facts.get('PersistentVolume', '', name);
    return volume && [volumePosition(facts, volume)];
  }
  if (kind === 'VolumeSnapshot') {
    const snapshot = facts.get('VolumeSnapshot', namespace, name);
    return snapshot && [snapshotPosition(facts, snapshot)];
  }
  if (kind === 'BackupPlan') {
    const plan = facts.get('BackupPlan', namespace, name);
    return plan && planPositions(facts, plan);
  }
  if (kind === 'Mirror') {
    const mirror = facts.get('Mirror', namespace, name);
    return mirror && mirrorPositions(facts, mirror);
  }
  if (isOperated(kind)) {
    const resource = facts.get(kind, namespace, name);
    return resource && resourcePositions(facts, resource);
  }
  return undefined;
}

/** Kinds that a root line can be drawn for. */
export const linedKinds = [
  'Pod',
  'StatefulSet',
  'Deployment',
  'DaemonSet',
  'Job',
  'PersistentVolumeClaim',
  'PersistentVolume',
  'VolumeSnapshot',
  'BackupPlan',
  'Mirror',
  ...operatedKinds
] as const;

/**
 * Draws the root line of a pod (also of a set's member that isn't made yet), of who makes pods, a claim, a volume, a snapshot or a custom resource; in an export of a real cluster of everything that
 * it tells something about.
 * @returns undefined when the subject doesn't exist or isn't of a kind that has a line
 */
export function rootLine(facts: Facts, subject: Ref): RootLine | undefined {
  const seen = facts.knowsProvider ? undefined : exportTrunks(facts, subject);
  const positions = facts.knowsProvider ? positionsOf(facts, subject) : seen?.map((one) => one.position);
  if (!positions) return undefined;
  const lines = positions.map((position, i) => resting(seen ? seen[i]!.looks : looksAt(position)));
  const trunks = positions.map((position, i): Trunk => {
    const lowest = lowestBreak(lines[i]!);
    const ref: Ref = position.podName === undefined ? subject : { kind: 'Pod', namespace: position.namespace, name: position.podName };
    return {
      label: position.ordinal === undefined ? ref.name : `-${position.ordinal}`,
      ref,
      ...(position.over ? { cluster: position.over.cluster } : {}),
      ...(lowest ? { firstBreak: lowest } : {})
    };
  });
  const joints = merge(lines);
  const firstBreak = joints.find((one) => one.state === 'broken')?.joint ?? null;
  return { subject, nowMs: facts.nowMs, trunks, joints, firstBreak, ...(seen ? { exported: true } : {}) };
}
