import { momentIn, type Facts, type Pod, type Ref } from '../../model';
import { isVague, jointOf, scopeIn, tellingPart, timeOf, type Doing, type Said } from '../../exports';
import { look } from '../evidence';
import type { JointId } from '../joints';
import type { Evidence, Look } from '../types';

/** A look at a joint, in its place. */
export interface Placed {
  readonly joint: JointId;
  readonly look: Look;
}

/** A look with the joint that it is of. */
export const placed = (joint: JointId, one: Look): Placed => ({ joint, look: one });

/** What the cluster says of a joint, and that no later success has overtaken. */
export interface Fault {
  readonly joint: JointId;
  readonly said: Said;
  /** The sentence; the telling part of what was said unless it is given. */
  readonly says: string;
}

/** Something said as evidence, whole. */
export const evidenceOf = ({ object, from, reason, message, count, atMs }: Said): Evidence => ({
  object,
  ...(from === 'event' ? { event: { reason, message, count } } : { field: from, value: [reason, message].filter(Boolean).join(': ') }),
  ...(atMs === undefined ? {} : { atMs })
});

/** What to do about a joint of a real cluster, in a sentence. */
const remedies: Partial<Record<JointId, string>> = {
  backend: 'Look at the backend: its room, its quota, and whether it answers. Free what nobody needs, or have it raised.',
  target: 'Look at the file server: its address, its exports, and whether it lets the nodes in.',
  rights: "Give the driver's account, or its identity at the provider, the right that is refused.",
  driver: "Bring the driver's part back: see the line of its pods.",
  class: 'Correct the class, or name another one in the claim. Classes are fixed once made: send it anew.',
  volume: 'Look at the volume where it is kept: whether it is there, and whether it is the one that is meant.',
  claim: 'Make the claim anew, or ask for what can be had.',
  snapshot: 'Correct the snapshot, its class or what it is taken of.',
  quota: 'Ask for less, take away what nobody needs, or have the quota of the namespace raised.',
  admitted: 'Change the template so that it is let in, or bring the webhook back that is asked.',
  placing: 'Make room, or ask for less: the nodes are named with what they lack.',
  node: 'Bring the node back, or take it out of the cluster so that its pods are made elsewhere.',
  attaching: 'See who holds the volume: take the former pod away, or have a lost node marked out of service.',
  mounting: "Look at the node agent's log and the node part's log for this volume.",
  references: 'Send what is named, with the key that is asked for.',
  image: 'Correct the name of the image, or the credentials with which it is fetched.',
  start: 'Read the log of the container that ended, of the run before too.',
  ready: 'See what the probe asks, and what answers there.',
  name: 'Send the headless service, with the selector of the members.',
  service: "Correct the service's selector or port.",
  resource: 'Read what its operator says, and the log of the operator.'
};

/** The remedy in words for a joint of a cluster that can only be looked at. */
export const remedyFor = (joint: JointId): { remedy: { text: string } } => ({
  remedy: { text: remedies[joint] ?? 'Look at what is named.' }
});

/** The look of a joint that a fault breaks. */
export const brokenBy = (fault: Fault, label: string, more: readonly Evidence[] = [], objects: readonly Ref[] = []): Placed =>
  placed(
    fault.joint,
    look('broken', label, fault.says, {
      objects: objects.length ? objects : [fault.said.object],
      evidence: [evidenceOf(fault.said), ...more],
      ...remedyFor(fault.joint)
    })
  );

/** A fault from what was said while something was done. */
export const faultOf = (doing: Doing, said: Said, joint: JointId = jointOf(doing, said.message)): Fault => ({
  joint,
  said,
  says: tellingPart(said.message)
});

/** The one that tells most: the latest that is no mere retry, else the latest. */
export function mostTelling(said: readonly Said[]): Said | undefined {
  return said.filter((one) => !isVague(one.message)).at(-1) ?? said.at(-1);
}

/**
 * Whether something was said so long ago that it would have been said again if it still held: whoever tries again does so every few minutes,
 * and writes it down at least every five. Where nothing tells when the export was taken, nothing is over.
 */
export const isOver = (facts: Facts, { atMs }: Said, afterMs: number): boolean =>
  atMs !== undefined && scopeIn(facts).dated && facts.nowMs - atMs > afterMs;

/** A wait of so many times its normal length has nothing more to say for itself. */
const fewTimes = 4;

/**
 * A step that is under way, or that should long have been done: then it is unseen why, and what was looked at is said.
 * @param normalMs the ordinary band of the step
 * @param tells what was looked at, and what would tell
 */
export function underWay(
  facts: Facts,
  joint: JointId,
  label: string,
  says: string,
  sinceMs: number | undefined,
  normalMs: readonly [number, number],
  tells: string,
  more: { objects?: readonly Ref[]; evidence?: readonly Evidence[] } = {}
): Placed {
  if (sinceMs === undefined) return placed(joint, look('unseen', label, `${says}; since when can't be told; ${tells}`, more));
  if (facts.nowMs - sinceMs > fewTimes * normalMs[1])
    return placed(
      joint,
      look('unseen', label, `overdue since ${momentIn(facts, sinceMs)}: ${says}; ${tells}`, { ...more, overdueSinceMs: sinceMs })
    );
  if (!scopeIn(facts).dated)
    return placed(
      joint,
      look(
        'unseen',
        label,
        `${says}; nothing in the export says when it was taken, so how long it has waited can't be told; ${tells}`,
        more
      )
    );
  return placed(joint, look('settling', label, says, { ...more, settling: { sinceMs, normalMs } }));
}

/** What a container waits with that hasn't been made yet: nothing has failed. */
export const quietWaits = /^(ContainerCreating|PodInitializing|)$/;

/** A container as its status shows it. */
export interface ContainerSeen {
  readonly name: string;
  readonly image: string;
  readonly ready: boolean;
  readonly restarts: number;
  readonly init: boolean;
  readonly waiting: { readonly reason: string; readonly message: string } | undefined;
  readonly runningMs: number | undefined;
  readonly running: boolean;
  readonly ended: Ended | undefined;
  /** How the run before ended. */
  readonly before: Ended | undefined;
}

/** How a container ended. */
export interface Ended {
  readonly code: number;
  readonly reason: string;
  readonly message: string;
  readonly atMs: number | undefined;
}

type Loose = Record<string, unknown>;
const loose = (value: unknown): Loose => (typeof value === 'object' && value !== null ? (value as Loose) : {});
const text = (value: unknown): string => (typeof value === 'string' ? value : '');

function endedIn(state: unknown): Ended | undefined {
  const { terminated } = loose(state);
  if (!terminated) return undefined;
  const { exitCode, reason, message, finishedAt } = loose(terminated);
  return { code: typeof exitCode === 'number' ? exitCode : 0, reason: text(reason), message: text(message), atMs: timeOf(finishedAt) };
}

/** All containers of a pod by their states, those that prepare it first. */
export function containersSeen(pod: Pod): ContainerSeen[] {
  const status = loose(pod.status);
  const from = (key: string, init: boolean): ContainerSeen[] =>
    (Array.isArray(status[key]) ? (status[key] as unknown[]) : []).map((given) => {
      const one = loose(given);
      const state = loose(one.state);
      const waiting = state.waiting ? loose(state.waiting) : undefined;
      return {
        name: text(one.name),
        image: text(one.image),
        ready: one.ready === true,
        restarts: typeof one.restartCount === 'number' ? one.restartCount : 0,
        init,
        waiting: waiting && { reason: text(waiting.reason), message: text(waiting.message) },
        runningMs: timeOf(loose(state.running).startedAt),
        running: state.running !== undefined,
        ended: endedIn(state),
        before: endedIn(one.lastState)
      };
    });
  return [...from('initContainerStatuses', true), ...from('containerStatuses', false)];
}
