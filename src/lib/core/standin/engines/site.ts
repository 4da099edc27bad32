/** What a client asks of a workload, and how it is answered. */
export interface Ask {
  readonly id: string;
  /** The member that is asked; undefined: whichever can answer. */
  readonly member?: string;
  /** The account that is shown, with the mark of its password ('' where none was shown). */
  readonly as?: { readonly account: string; readonly mark: string };
  readonly op: Op;
}

/** One thing asked of an engine. Which fields count depends on `do`. Values are text; sizes and counts are numbers. */
export type Op = {
  readonly do: string;
  /** Table, topic, bucket, database or directory. */
  readonly place?: string;
  readonly key?: string;
  readonly value?: string;
  readonly count?: number;
  readonly bytes?: number;
  /** Where a reader of a log begins: at the first message, the newest ones, or with what comes from now on. */
  readonly from?: 'beginning' | 'last' | 'end';
  /** The group that a reader of a log reads for. */
  readonly group?: string;
  /** How sure the client wants to be: none, one, all (log broker); one, majority (documents). */
  readonly acks?: string;
  /** The version that the client has read; a write over a newer one is refused. */
  readonly version?: number;
};

/** How an ask ended. `acknowledged`: it counts; `refused`: it surely had no effect; `unknown`: nobody answered in time, it may or may not have. */
export interface Answer {
  readonly outcome: 'acknowledged' | 'refused' | 'unknown';
  readonly by?: string;
  readonly says: string;
  readonly rows?: readonly (readonly [string, string])[];
  readonly count?: number;
  readonly bytes?: number;
  readonly checksum?: string;
  readonly version?: number;
}

/** How a member stands in its workload, as its sheet shows it. */
export interface MemberState {
  readonly role: string;
  readonly ready: boolean;
  /** Why it isn't ready, or what it does; '' when all is well. */
  readonly says: string;
  readonly position: number;
  /** How far it is behind; undefined where nobody is ahead to measure by. */
  readonly lag?: number;
  readonly term?: number;
  readonly leader?: string;
}

/** Where the engine of one workload runs: what it may see and do. The world gives one per call; tests give their own. */
export interface Site {
  readonly nowMs: number;
  readonly seed: number;
  /** Members that ought to be, lowest ordinal first. */
  readonly ids: readonly string[];
  /** Members whose programs run, whether they ought to be or not. */
  readonly running: Iterable<string>;
  /** Whether a member's program runs. */
  up(id: string): boolean;
  /** Whether a member has been told to stop and has a little time left. */
  leaving(id: string): boolean;
  /** Whether two members reach each other (a member always reaches itself). A name that begins with `~` is a client, by the ask's id. */
  reach(a: string, b: string): boolean;
  /** What lies in a member's volume; outlives its program. `nth`: which of its volumes, 0 is the first. */
  disk<T>(id: string, nth?: number): T | undefined;
  keep(id: string, data: unknown, nth?: number): void;
  /** How many volumes a member has; 0 when it keeps things beside its program only. */
  disks(id: string): number;
  /** Which part of the workload a member is, e.g. `broker`. */
  part(id: string): string;
  /** A setting of a member, as its program read it when it started. */
  option(id: string, name: string): string | undefined;
  /** Keeps bytes, which nobody changes from then on, and gives their name. */
  store(bytes: Uint8Array): string;
  /** Bytes that were kept. Throws for a name that nobody gave. */
  bytes(name: string): Uint8Array;
  /** What a member's program has in mind; goes with it. */
  mind<T>(id: string): T | undefined;
  think(id: string, mind: unknown): void;
  /** Sends something; it arrives if both programs still run then and reach each other. `from` and `to` may be the same (an alarm). */
  post(from: string, to: string, body: unknown, afterMs: number): void;
  /** A line in a member's log. */
  say(id: string, text: string, grave?: boolean): void;
  answer(ask: string, answer: Answer): void;
}

/** What runs in the members of a workload. All state is in the site; calls change it. */
export interface Engine {
  /** Members came, went, or reach each other no more. */
  changed(site: Site): void;
  /** Members ran already when the stand-in took them over: they know each other and agree, whatever is in their volumes. */
  adopt?(site: Site): void;
  arrived(site: Site, to: string, from: string, body: unknown): void;
  ask(site: Site, ask: Ask): void;
  standing(site: Site, id: string): MemberState;
}
