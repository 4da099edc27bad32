import type { Generated } from 'kysely';

/** What the reader says of a cluster that was read: which others it is linked with, and who looks after its workloads. */
export interface DumpJoinedRow {
  cluster: string;
  /** JSON: {with, operator?} */
  body: string;
}

/** A cluster of the estate: its flag and the ground its rehearsals start from. */
export interface ClusterRow {
  name: string;
  place: number;
  note: string;
  /** JSON: {hue, weave} */
  flag: string;
  seed: number;
  /** JSON: objects that stand at T+0 */
  ground: string;
  /** `standin`, or `dump` for a cluster that was read */
  kind: Generated<string>;
  /** Sums over the other columns but the place, and over the ground, with a colon between; '' in rows of earlier versions. */
  sum: Generated<string>;
}

/** A rehearsal: the trunk of a cluster, or a fork of it. Times are virtual ms. */
export interface RehearsalRow {
  id: string;
  cluster: string;
  fork: string | null;
  parent: string | null;
  forked_at_ms: number | null;
  head_ms: number;
  frontier_ms: number;
  revision: number;
  /** Sum over head, frontier and revision. */
  sum: Generated<string>;
}

/** What somebody did; only ever added to. A taken-back action stays, marked. */
export interface ActionRow {
  id: Generated<number>;
  rehearsal: string;
  sequence: number;
  at_ms: number;
  /** JSON: the action */
  body: string;
  withdrawn: number;
  created_at: string;
  /** Sum over whether it was taken back, moment and body. */
  sum: Generated<string>;
}

/** A world at a moment, as a cache: may be thrown away at any time. */
export interface SnapshotRow {
  rehearsal: string;
  actions: number;
  at_ms: number;
  engine: string;
  bytes: Buffer;
  /** Row of the latest action in it; 0 without any. */
  last_action: number;
}

/** A proof that was run, with its evidence. */
export interface ProofRow {
  id: Generated<number>;
  rehearsal: string;
  namespace: string;
  set_name: string;
  at_ms: number;
  /** JSON: the proof */
  body: string;
  created_at: string;
  sum: Generated<string>;
}

/** A drill that was run, with its evidence. */
export interface DrillRow {
  id: Generated<number>;
  rehearsal: string;
  namespace: string;
  workload: string;
  fault: string;
  state: string;
  at_ms: number;
  /** JSON: the drill */
  body: string;
  created_at: string;
  sum: string;
}

/** A class that was tried, with the evidence. */
export interface TrialRow {
  id: Generated<number>;
  rehearsal: string;
  class_name: string;
  at_ms: number;
  /** JSON: the trial without its actions, and where it was made */
  body: string;
  created_at: string;
  sum: Generated<string>;
}

/** Manifests being written for a cluster; `state` is where its history stands. */
export interface DraftRow {
  id: Generated<number>;
  cluster: string;
  name: string;
  /** JSON: [{name, text}] */
  files: string;
  state: number | null;
  updated_at: string;
  /** Goes up with every change; what an editor has seen. */
  revision: Generated<number>;
  /** Sum over name and files. */
  sum: Generated<string>;
}

/** A draft at a pause in writing; only ever added to, oldest go when there are too many. */
export interface DraftStateRow {
  id: Generated<number>;
  draft: number;
  parent: number | null;
  /** gzip of JSON: [{name, text}] */
  files: Buffer;
  lines: number;
  cause: string;
  at: string;
}

/** Where and when a draft was sent, and what it said then. */
export interface DraftSentRow {
  id: Generated<number>;
  draft: number;
  rehearsal: string;
  at_ms: number;
  files: Buffer;
  at: string;
}

/** What was read of a real cluster; without `complete` it is of no use and goes at the next start. */
export interface DumpRow {
  id: Generated<number>;
  cluster: string;
  complete: number;
  /** When it was taken: the latest moment in it (ms of the calendar). */
  taken_ms: number;
  objects: number;
  /** JSON: kinds, problems, kinds that aren't known */
  summary: string;
  /** JSON: what the reader says of its reach */
  corrections: Generated<string>;
  read_at: string;
}

/** Some of a dump's objects: gzip of a JSON list. */
export interface DumpPartRow {
  id: Generated<number>;
  dump: number;
  bytes: Buffer;
}

/** Somebody who may sign in. */
export interface AccountRow {
  name: string;
  role: string;
  /** Salt, parameters and hash. */
  password: string;
  made_at: string;
  ended_at: string | null;
}

/** Somebody who is signed in; the id itself is known to the browser only. Times in ms of the calendar. */
export interface SessionRow {
  hash: string;
  account: string;
  made_at: number;
  seen_at: number;
}

/** What a program shows instead of a password. */
export interface TokenRow {
  id: Generated<number>;
  name: string;
  role: string;
  hash: string;
  made_by: string;
  made_at: string;
  ends_at: string;
  ended_at: string | null;
}

/** Who did what, and when; only ever added to. */
export interface DeedRow {
  id: Generated<number>;
  at: string;
  who: string;
  what: string;
  cluster: string | null;
  rehearsal: string | null;
  draft: number | null;
  detail: string;
}

/** A sizing that is kept. */
export interface SizingRow {
  id: Generated<number>;
  cluster: string;
  name: string;
  /** Which calculation, what stands in its slots, and what they were taken from, as JSON. */
  body: string;
  updated_at: string;
}

export interface Schema {
  cluster: ClusterRow;
  rehearsal: RehearsalRow;
  action: ActionRow;
  snapshot: SnapshotRow;
  proof: ProofRow;
  drill: DrillRow;
  trial: TrialRow;
  draft: DraftRow;
  draft_state: DraftStateRow;
  draft_sent: DraftSentRow;
  dump: DumpRow;
  dump_part: DumpPartRow;
  dump_joined: DumpJoinedRow;
  sizing: SizingRow;
  account: AccountRow;
  session: SessionRow;
  token: TokenRow;
  deed: DeedRow;
}
