import { madeMs, isReady, memberClaim, memberName, ordinalsOf, type ApiObject, type Pod, type StatefulSet } from '$core/model';
import {
  type Action,
  type Step,
  type Store,
  driverPartOf,
  enginePartOf,
  operatedKinds,
  partRank,
  poolPartOf,
  stepSpans,
  workloadOfTemplate
} from '$core/standin';
import { plural, wordsOf } from '$core/shared';
import { setsOf, type PlainRef, type Scene } from './scene';

export interface Segment {
  readonly step: string;
  readonly label: string;
  readonly fromMs: number;
  /** null while it is under way at the end of what is known */
  readonly toMs: number | null;
  readonly normalMs: readonly [number, number];
  readonly overdue: boolean;
}

export interface Lane {
  readonly label: string;
  /** The workload that it belongs to, as namespace/name; '' for what is none. */
  readonly workload?: string;
  /** Something in it is under way at the clock's head, or only waits. */
  readonly moves?: boolean;
  readonly ref: PlainRef | null;
  readonly segments: readonly Segment[];
  /** Spans in which it only waited, e.g. for the member before it. */
  readonly waits: readonly { readonly fromMs: number; readonly toMs: number | null; readonly says: string }[];
}

const mostLanes = 40;

function segmentOf({ step, fromMs, toMs, normalMs }: Step, nowMs: number): Segment {
  const end = toMs ?? nowMs;
  return { step, label: stepSpans[step].label, fromMs, toMs: toMs ?? null, normalMs, overdue: end - fromMs > normalMs[1] };
}

/** Steps by subject, in the order in which they began. */
function bySubject(steps: readonly Step[]): Map<string, Step[]> {
  const map = new Map<string, Step[]>();
  for (const one of steps) {
    const list = map.get(one.subject);
    if (list) list.push(one);
    else map.set(one.subject, [one]);
  }
  return map;
}

/** Placing that takes long is a wait, not work: it is drawn as one. */
const isWait = (one: Step, nowMs: number) => one.step === 'placing' && (one.toMs ?? nowMs) - one.fromMs > one.normalMs[1];

function memberLane(facts: Store, steps: Map<string, Step[]>, set: StatefulSet, ordinal: number, nowMs: number): Lane | undefined {
  const namespace = set.metadata.namespace ?? '';
  const name = memberName(set, ordinal);
  const own = steps.get(`Pod ${namespace}/${name}`) ?? [];
  const claims = (set.spec.volumeClaimTemplates ?? []).flatMap(
    (one) => steps.get(`PersistentVolumeClaim ${namespace}/${one.metadata.name}-${name}`) ?? []
  );
  const all = [...own, ...claims].sort((a, b) => a.fromMs - b.fromMs);
  const sentMs = madeMs(set) ?? nowMs;
  const waits: { fromMs: number; toMs: number | null; says: string }[] = [];
  const first = all[0];
  const before = ordinalsOf(set)
    .filter((one) => one < ordinal)
    .at(-1);
  if ((!first || first.fromMs > sentMs + 1_000) && before !== undefined)
    waits.push({ fromMs: sentMs, toMs: first?.fromMs ?? null, says: `after ${memberName(set, before)}` });
  for (const one of all)
    if (isWait(one, nowMs))
      waits.push({
        fromMs: one.fromMs,
        toMs: one.toMs ?? null,
        says: isReady(facts.get('Pod', namespace, name)) ? 'waited for a place' : 'waits for a place'
      });
  return {
    label: name,
    workload: `${namespace}/${workloadOfTemplate(set)}`,
    ref: { kind: 'Pod', namespace, name },
    segments: all.filter((one) => !isWait(one, nowMs)).map((one) => segmentOf(one, nowMs)),
    waits
  };
}

const partWords = { controller: 'controller', node: 'on nodes', helper: 'collector' } as const;

/** The lane that a pod of a driver or of a pool's machinery belongs to. */
function machineryLabel(pod: Pod): string | undefined {
  const part = driverPartOf(pod.spec);
  if (part) return `${part.driver.split('.')[0]} ${partWords[part.part]}`;
  const pool = poolPartOf(pod.spec);
  return pool && `pool ${pool}`;
}

const isOperated = (kind: string): boolean => (operatedKinds as readonly string[]).includes(kind);

/** Things in motion that are no member: snapshots, pools that heal, claims by themselves. */
function otherLanes(steps: Map<string, Step[]>, taken: ReadonlySet<string>, nowMs: number): Lane[] {
  const kinds = ['VolumeSnapshot', 'Pool', 'PersistentVolumeClaim', ...operatedKinds] as const;
  return [...steps].flatMap(([subject, list]): Lane[] => {
    const [kind = '', id = ''] = subject.split(' ');
    const slash = id.indexOf('/');
    if (!kinds.some((one) => one === kind) || taken.has(subject)) return [];
    const ref = { kind, namespace: slash < 0 ? '' : id.slice(0, slash), name: id.slice(slash + 1) };
    return [
      {
        label: isOperated(kind) ? `${kind} ${ref.name}` : ref.name,
        ref: kind === 'PersistentVolumeClaim' || isOperated(kind) ? ref : null,
        segments: list.map((one) => segmentOf(one, nowMs)),
        waits: []
      }
    ];
  });
}

/** Members that no set numbers: helpers, agents, shelves. */
function looseLanes(facts: Store, steps: Map<string, Step[]>, nowMs: number): Lane[] {
  return facts
    .list('Pod')
    .filter((pod) => enginePartOf(pod) && !pod.metadata.ownerReferences?.some((one) => one.kind === 'StatefulSet'))
    .map((pod) => {
      const ref = { kind: 'Pod', namespace: pod.metadata.namespace ?? '', name: pod.metadata.name };
      const own = (steps.get(`Pod ${ref.namespace}/${ref.name}`) ?? []).filter((one) => !isWait(one, nowMs));
      return { label: ref.name, ref, segments: own.map((one) => segmentOf(one, nowMs)), waits: [] };
    });
}

/** A driver's parts together in one lane: each step from the first that began to the last that ended. */
function driverLanes(facts: Store, steps: Map<string, Step[]>, nowMs: number): Lane[] {
  const lanes = new Map<string, Step[]>();
  for (const pod of facts.list('Pod')) {
    const label = machineryLabel(pod);
    if (!label) continue;
    lanes.set(label, [...(lanes.get(label) ?? []), ...(steps.get(`Pod ${pod.metadata.namespace}/${pod.metadata.name}`) ?? [])]);
  }
  const inOrder = [...lanes].sort(([a], [b]) => Number(a.endsWith('collector')) - Number(b.endsWith('collector')));
  return inOrder.map(([label, list]) => {
    const merged = new Map<string, Step>();
    for (const one of list.sort((a, b) => a.fromMs - b.fromMs)) {
      const known = merged.get(one.step);
      if (!known) merged.set(one.step, one);
      else {
        const toMs = one.toMs === undefined || known.toMs === undefined ? undefined : Math.max(one.toMs, known.toMs);
        const { toMs: _old, ...rest } = known;
        merged.set(one.step, toMs === undefined ? rest : { ...rest, toMs });
      }
    }
    return { label, ref: null, segments: [...merged.values()].map((one) => segmentOf(one, nowMs)), waits: [] };
  });
}

const latest = (lane: Lane): number =>
  Math.max(0, ...lane.segments.map((one) => one.toMs ?? Infinity), ...lane.waits.map((one) => (one.toMs === null ? 1e15 : one.toMs)));

/** More lanes than this, and workloads in which nothing moves have one together. */
const manyLanes = 12;

const isOpen = (one: { fromMs: number; toMs: number | null }, nowMs: number): boolean =>
  one.fromMs <= nowMs && (one.toMs === null || one.toMs > nowMs);
const movesAt = (lane: Lane, nowMs: number): boolean => [...lane.segments, ...lane.waits].some((one) => isOpen(one, nowMs));

/** Members of a workload in which nothing moves, in one lane. */
function gathered(lanes: readonly Lane[], nowMs: number): Lane[] {
  const groups = new Map<string, Lane[]>();
  for (const lane of lanes) {
    const key = lane.workload ?? `lane ${lane.label}`;
    groups.set(key, [...(groups.get(key) ?? []), lane]);
  }
  return [...groups].flatMap(([key, list]): Lane[] => {
    if (list.length === 1 || list.some((one) => movesAt(one, nowMs))) return list;
    const [namespace = '', name = ''] = key.split('/');
    return [
      {
        label: `${name}, ${plural(list.length, 'member')}`,
        workload: key,
        ref: { kind: 'StatefulSet', namespace, name },
        segments: list.flatMap((one) => one.segments).sort((a, b) => a.fromMs - b.fromMs),
        waits: []
      }
    ];
  });
}

/** What moves comes first, in its own order; then what moved last. */
function inMotionFirst(lanes: readonly Lane[], nowMs: number): Lane[] {
  const marked = lanes.map((one): Lane => ({ ...one, moves: movesAt(one, nowMs) }));
  const still = marked.filter((one) => !one.moves).sort((a, b) => latest(b) - latest(a));
  return [...marked.filter((one) => one.moves), ...still];
}

/** What is normal for a claim to be bound once somebody uses it (common practice, no source). */
const boundBandMs = 20_000;

function summary({ facts, clock }: Scene, lanes: readonly Lane[]): { text: string; overdue: boolean } {
  const pending = facts
    .list('PersistentVolumeClaim')
    .filter((one) => one.status?.phase !== 'Bound' && facts.podsOfClaim(one.metadata.namespace ?? '', one.metadata.name).length > 0);
  const oldest = Math.min(...pending.map((one) => madeMs(one) ?? facts.nowMs));
  const lateMs = facts.nowMs - oldest - boundBandMs;
  if (pending.length && lateMs > 0)
    return {
      text: `${plural(pending.length, 'claim')} overdue by ${wordsOf(lateMs)}${clock.settled ? `; nothing is under way: ${pending.length === 1 ? 'it waits' : 'they wait'} for somebody` : ''}`,
      overdue: true
    };
  const open = lanes.flatMap((lane) =>
    lane.segments
      .filter((one) => one.toMs === null || one.toMs > clock.nowMs)
      .filter((one) => one.fromMs <= clock.nowMs)
      .map((one) => ({ lane, one }))
  );
  const late = open.find(({ one }) => clock.nowMs - one.fromMs > one.normalMs[1]);
  const shown = late ?? open.at(-1);
  if (!shown) return { text: clock.settled ? 'settled: nothing is under way' : '', overdue: false };
  const { lane, one } = shown;
  const [least, most] = one.normalMs.map((ms) => Math.round(ms / 1000));
  return {
    text: `${lane.label} ${one.label}, normal ${least}–${most} s, so far ${wordsOf(clock.nowMs - one.fromMs)}`,
    overdue: late !== undefined
  };
}

/** What somebody meant who sent a batch: its workload, or whatever else comes first in this order. */
const chiefKinds = [
  'CSIDriver',
  'Pool',
  'MemoryCluster',
  'DocumentSet',
  'OperatorOrder',
  'StatefulSet',
  'DaemonSet',
  'Deployment',
  'StorageClass'
];

function sentWords(objects: readonly ApiObject[]): string {
  const rank = ({ kind }: ApiObject) => (chiefKinds.includes(kind) ? chiefKinds.indexOf(kind) : chiefKinds.length);
  const chief = [...objects].sort((a, b) => rank(a) - rank(b))[0];
  if (!chief) return 'sent nothing';
  const more = objects.length - 1;
  return `sent ${chief.kind} ${chief.metadata.name}${more ? ` and ${more} more` : ''}`;
}

function actionWords(action: Action): string {
  switch (action.type) {
    case 'send':
      return sentWords(action.objects);
    case 'remove':
      return `took ${action.ref.kind} ${action.ref.name} away${action.more?.length ? ` and ${action.more.length} more` : ''}`;
    case 'write':
      return `wrote through ${action.pod}`;
    case 'damage':
      return `damaged what lies in ${action.claim}`;
    case 'restore':
      return `put the snapshot ${action.snapshot} in the place of ${action.claim}`;
    case 'ask':
      return `asked ${action.ask.member ?? action.ask.workload} to ${action.ask.op.do}`;
    case 'crash':
      return `ended the programs of ${action.pod}`;
    case 'join':
      return `linked with ${action.with}`;
  }
}

/** The tape: one lane per thing in motion, with what lies after the clock's head where it is known. */
export function tapeView(scene: Scene) {
  const { facts, clock, actions } = scene;
  const endMs = clock.frontierMs;
  const steps = bySubject(scene.steps);
  // Parts of one workload stand together, in the order in which they start.
  const inOrder = setsOf(facts).sort(
    (a, b) =>
      `${a.metadata.namespace}/${workloadOfTemplate(a)}`.localeCompare(`${b.metadata.namespace}/${workloadOfTemplate(b)}`, 'en') ||
      partRank(enginePartOf(a.spec.template)) - partRank(enginePartOf(b.spec.template))
  );
  const members = inOrder.flatMap((set) => ordinalsOf(set).flatMap((ordinal) => memberLane(facts, steps, set, ordinal, endMs) ?? []));
  const ofMembers = new Set(
    setsOf(facts).flatMap((set) =>
      ordinalsOf(set).flatMap((ordinal) =>
        (set.spec.volumeClaimTemplates ?? []).map(
          (one) => `PersistentVolumeClaim ${set.metadata.namespace}/${memberClaim(one.metadata.name, set, ordinal)}`
        )
      )
    )
  );
  const lanes = [
    ...driverLanes(facts, steps, endMs),
    ...otherLanes(steps, ofMembers, endMs),
    ...members,
    ...looseLanes(facts, steps, endMs)
  ].filter((one) => one.segments.length || one.waits.length);
  const ordered = inMotionFirst(lanes.length > manyLanes ? gathered(lanes, clock.nowMs) : lanes, clock.nowMs);
  return {
    lanes: ordered.slice(0, mostLanes),
    hidden: Math.max(0, ordered.length - mostLanes),
    marks: actions.map(({ atMs, action }) => ({
      atMs,
      label: actionWords(action)
    })),
    ...summary(scene, lanes)
  };
}

export type TapeView = ReturnType<typeof tapeView>;
