import type { ApiObject, Facts, Ref } from '../model';
import type { Workload } from '../proofs';
import type { Action } from '../standin';

/** What can be put in on purpose. */
export type FaultId =
  | 'node-dark'
  | 'node-cut'
  | 'node-slow'
  | 'zone-lost'
  | 'node-emptied'
  | 'nodes-walked'
  | 'cluster-raised'
  | 'cluster-lost'
  | 'link-cut'
  | 'link-one-way'
  | 'link-slow'
  | 'operator-lost'
  | 'driver-down'
  | 'rights-gone'
  | 'operator-down'
  | 'driver-rolled'
  | 'operator-rolled'
  | 'mount-target-out'
  | 'disk-dead'
  | 'registry-out'
  | 'volume-lost'
  | 'room-out'
  | 'quota-out'
  | 'volume-full'
  | 'volume-slow'
  | 'certificate-out'
  | 'certificate-renewed'
  | 'key-changed'
  | 'password-changed'
  | 'program-ends'
  | 'member-hangs'
  | 'cut-from-members'
  | 'cut-from-clients'
  | 'member-removed'
  | 'coordinator-lost'
  | 'wrong-delete'
  | 'version-rolled'
  | 'version-wrong';

/** Where in the barn a fault strikes; the order of the columns. */
export const faultLevels = ['Ground', 'Supply', 'Claims', 'Members'] as const;
/** Where in the barn a fault strikes. */
export type FaultLevel = (typeof faultLevels)[number];

/** What a drill is run on: a workload as it stands at a moment. */
export interface DrillScene {
  readonly facts: Facts;
  readonly workload: Workload;
}

/** One stage of work that goes from place to place. */
export interface Stage {
  readonly label: string;
  readonly begin: readonly Action[];
  /** Why it isn't done yet, for somebody who waits for it; undefined once it is. */
  left(facts: Facts): string | undefined;
  /** No longer than this is waited for it (ms). */
  readonly mostMs: number;
  /** The work itself, once all is ready for it; left out where it isn't. */
  readonly work: readonly Action[];
  /** What is waited for is that copies are made anew. */
  readonly heals?: true;
  readonly workMs: number;
  readonly end: readonly Action[];
}

/** What is said of work that goes from place to place: of all of it, of a place, of one that is done, of one that isn't. */
export interface WalkWords {
  readonly all: string;
  readonly noun: string;
  readonly done: string;
  readonly undone: string;
}

/** What a fault strikes, here. */
export interface Target {
  /** As it stands in a sentence: `zone a`, `boarding-1`. */
  readonly label: string;
  /** Members that do nothing for the workload while it lasts, by name. */
  readonly members: readonly string[];
  /** They can't come back elsewhere before it is over. */
  readonly lasting: boolean;
  /** Whole nodes are struck: whoever else stands there is hurt too. */
  readonly wide?: boolean;
  /** Why the workload stops although enough members are left. */
  readonly stops?: string;
  /** The cluster that it is done in, where that is another one. */
  readonly in?: string;
  readonly begin: readonly Action[];
  readonly end: readonly Action[];
  /** What was acknowledged before it is taken away by somebody who may: only what comes back from copies counts as kept. */
  readonly deletes?: boolean;
  /** The volume of the member that is struck goes with all that lies there. */
  readonly volume?: true;
  /** What members take meanwhile is sealed with a key that nobody has afterwards. */
  readonly sealed?: boolean;
  /** Done one after another instead; all members have to hold before the next one begins. */
  readonly stages?: readonly Stage[];
  /** What is said of the stages; left out: nodes are emptied and worked on. */
  readonly walk?: WalkWords;
}

/** One fault: where it strikes, and what is done for it. A new one is a line in `faults.ts`. */
export interface FaultRule {
  readonly id: FaultId;
  readonly level: FaultLevel;
  /** Short, as the head of a column. */
  readonly title: string;
  /** What it does, in a sentence. */
  readonly why: string;
  /** Where it hurts most here; or why it can't happen here. */
  target(scene: DrillScene): Target | string;
}

/** What is written down before a drill. Times in ms of the clock; undefined: nothing is asked for. */
export interface Expectation {
  /** Longest time without an accepted write. */
  readonly writesPauseMs?: number;
  /** Longest time without a read that is answered. */
  readonly readsPauseMs?: number;
  /** Writes that were acknowledged and are lost. */
  readonly lost: number;
  /** From the fault's begin until nothing that is asked fails any more. */
  readonly steadyMs?: number;
  /** From the fault's end until all members hold again. */
  readonly wholeMs?: number;
}

/** An expectation with what it was derived from. */
export interface Derived {
  readonly expectation: Expectation;
  /** Whether the workload goes on while the fault lasts, by arithmetic; undefined where nothing tells. */
  readonly goesOn: boolean | undefined;
  /** The arithmetic, in a sentence. */
  readonly why: string;
  /** Why what was acknowledged is lost with what is struck, where that is certain. */
  readonly loses?: string;
}

/** How often something was asked, and how that ended. */
export interface Tally {
  readonly asked: number;
  readonly acknowledged: number;
  readonly refused: number;
  /** Nobody answered in time: it may or may not have been done. */
  readonly unknown: number;
}

/** What came back after a wrong delete. */
export interface Back {
  readonly plan: string;
  /** The last moment before it that the plan leads back to, from the drill's begin (ms); below 0: before the drill. */
  readonly toMs: number;
  /** Of the acknowledged writes that were lost so many could be read again once it was put back; null: unseen. */
  readonly count: number | null;
  /** How long it took, begin to proof (ms); null: it was not put back. */
  readonly tookMs: number | null;
  /** Why it didn't come back, or can't be told; empty where it did. */
  readonly says: string;
}

/** What was measured. Times in ms; null: it didn't come to that while the drill was watched. */
export interface Measured {
  readonly writesPauseMs: number;
  readonly readsPauseMs: number;
  /** Numbers of the acknowledged writes that can't be read any more, where they can be told apart; the first 50. */
  readonly lost: readonly number[];
  /** How many; null where nobody could tell at the end. */
  readonly lostCount: number | null;
  /** Where somebody deleted: what came back from a plan's copies. Null: no plan, or none of its copies is from before; left out for other faults. */
  readonly back?: Back | null;
  readonly steadyMs: number | null;
  readonly wholeMs: number | null;
  /** Where a disk dies: until what lay there was copied anew. */
  readonly healMs?: number | null;
  readonly writes: Tally;
  readonly reads: Tally;
  /** Reads that didn't show what had been acknowledged before they were asked. */
  readonly staleReads: number;
}

/** One line of what was expected and measured. */
export interface Row {
  readonly id: 'writes-pause' | 'reads-pause' | 'lost' | 'steady' | 'whole' | 'others';
  readonly expected: string;
  readonly measured: string;
  readonly ok: boolean;
}

/** A stretch of a member's lane. Times in ms from the drill's begin. */
export interface Stretch {
  readonly fromMs: number;
  readonly toMs: number;
  readonly state: 'ready' | 'coming' | 'away';
}

/** Operations of a stretch of the drill: how many were accepted, and how many weren't, by when they were asked. */
export interface Beat {
  readonly fromMs: number;
  readonly writes: number;
  readonly writesFailed: number;
  readonly reads: number;
  readonly readsFailed: number;
}

/** What is known of why it hurt. */
export interface Cause {
  /** `break`: what a member's root line broke at first; `known`: what follows from how the workload is set up; `told`: what clients were told. */
  readonly from: 'break' | 'known' | 'told';
  readonly subject: Ref;
  readonly says: string;
  readonly remedy?: string;
  readonly manifests?: readonly ApiObject[];
}

/** How a drill came out. */
export interface Drill {
  readonly fault: FaultId;
  readonly target: string;
  /** Where its clients came from, where that isn't inside. */
  readonly way?: 'outside';
  /** The moment that it was tried from (virtual ms). */
  readonly atMs: number;
  /** When the fault began and ended, from there (ms), and when the drill was over. */
  readonly beganMs: number;
  readonly endedMs: number;
  readonly overMs: number;
  readonly state: 'expected' | 'better' | 'worse';
  readonly says: string;
  readonly derived: Derived;
  readonly expectation: Expectation;
  readonly measured: Measured;
  readonly rows: readonly Row[];
  readonly beatMs: number;
  readonly beats: readonly Beat[];
  readonly lanes: readonly { readonly name: string; readonly stretches: readonly Stretch[] }[];
  /** Other workloads whose members were hurt. */
  readonly others: readonly string[];
  readonly cause?: Cause;
  /** Print of the workload that it was tried on: another one, and it is stale. */
  readonly stands?: string;
  /** What copied the workload then, where that counts: another print, another outcome. */
  readonly plans?: string;
  /** What cards suppose of its programs and drivers: all of it rests on that. Left out where nothing is. */
  readonly supposed?: readonly string[];
  /** What limits what the figures tell. */
  readonly notes: readonly string[];
  /** What was done for it, so that it can be done again on a fork. */
  /** The cluster that it was done in, where that is another one. */
  readonly in?: string;
  readonly begin: readonly Action[];
  readonly end: readonly Action[];
}
