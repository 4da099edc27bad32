import type { Record } from '../group';

/** One batch of messages as a replica keeps it; its bytes are kept by name. All messages of a batch are equally long. */
export interface Batch {
  readonly at: number;
  readonly count: number;
  readonly epoch: number;
  readonly bytes: string;
  readonly sizeBytes: number;
  /** Who sent it, and its number among what they sent: what is sent twice is kept once. */
  readonly sender: string;
  readonly nth: number;
}

/** One replica of a partition. */
export interface PartLog {
  readonly batches: readonly Batch[];
  readonly end: number;
  /** Up to here everything is on every caught-up replica, so readers may have it. */
  readonly high: number;
  /** Where each leader's epoch began. */
  readonly epochs: readonly { readonly epoch: number; readonly at: number }[];
  /** The newest epoch that it has heard of: whoever leads an older one is not listened to. */
  readonly heard: number;
}

/** The log of a partition that nothing was written to. */
export const emptyPart: PartLog = { batches: [], end: 0, high: 0, epochs: [], heard: 0 };

/** What lies in one of a broker's (or coordinator's) volumes. */
export interface LogDisk {
  readonly meta?: Record<Meta>;
  /** A broker that has taken part: only such a one can be missed. */
  readonly registered?: boolean;
  readonly parts?: Readonly<{ [key: string]: PartLog }>;
}

/** Who leads a partition, and who follows. */
export interface Partition {
  readonly leader: string | null;
  readonly epoch: number;
  readonly replicas: readonly string[];
  readonly caughtUp: readonly string[];
}

/** A topic with its partitions. */
export interface Topic {
  readonly partitions: readonly Partition[];
  /** Least number of caught-up replicas that a write with all acknowledgements needs. */
  readonly least: number;
  /** The most that all its partitions together may hold, where there is a limit. */
  readonly limitBytes?: number;
}

/** What the coordinators keep: who is there, and who leads what. */
export interface Meta {
  readonly topics: Readonly<{ [name: string]: Topic }>;
  readonly down: readonly string[];
  readonly accounts: Readonly<{ [name: string]: string }>;
  /** Up to where groups of readers have read, by group and topic: the next message of each partition. */
  readonly groups?: Readonly<{ [group: string]: Readonly<{ [topic: string]: readonly (number | null)[] }> }>;
  /** Topics that were dropped, with the last epoch of each: whatever a broker keeps of it up to that one goes. */
  readonly dropped?: Readonly<{ [topic: string]: number }>;
}

/** Where a reader begins: at the first message that is kept, at the newest ones, or with what comes from now on. */
export type From = 'beginning' | 'last' | 'end';

/** What the coordinators keep of an account: the mark of its password, and the topics that it may write and read. */
export interface AccountRights {
  readonly mark: string;
  readonly write: readonly string[];
  readonly read: readonly string[];
}

const texts = (list: unknown): list is string[] => Array.isArray(list) && list.every((one) => typeof one === 'string');

/** An account as it is kept; undefined for what isn't one. */
export function accountIn(text: string | undefined): AccountRights | undefined {
  try {
    const { mark, write, read } = JSON.parse(text ?? '') as { readonly [K in keyof AccountRights]?: unknown };
    return typeof mark === 'string' && texts(write) && texts(read) ? { mark, write, read } : undefined;
  } catch {
    return undefined;
  }
}

/** A partition in one text, `topic/number`. */
export const partKey = (topic: string, partition: number): string => `${topic}/${partition}`;

/** A leader's view of one partition while its program runs. */
export interface Leading {
  readonly epoch: number;
  readonly match: Readonly<{ [id: string]: number }>;
  /** How far messages are on their way to each; -1: only greeted. */
  readonly sent: Readonly<{ [id: string]: number }>;
  /** Replicas that it has asked to be counted as caught up: from then on it waits for them. */
  readonly adding: readonly string[];
  readonly pending: readonly { readonly client: string; readonly nth: number; readonly upTo: number }[];
}

/** What a broker keeps in mind; gone with its program. */
export interface BrokerMind {
  readonly known?: { readonly at: number; readonly meta: Meta };
  readonly leading?: Readonly<{ [key: string]: Leading }>;
  /** It has met those it waits for at its start. */
  readonly met?: boolean;
  readonly alarms?: Readonly<{ [name: string]: number }>;
  readonly set?: number;
  /** The mind of its part in the group that keeps the metadata. */
  readonly group?: unknown;
}

/** A producer or reader, while its ask is open. */
export interface Client {
  readonly kind: 'producer' | 'reader';
  readonly topic: string;
  readonly via: string;
  readonly acks: string;
  readonly batches: number;
  readonly perBatch: number;
  readonly sizeBytes: number;
  readonly text?: string;
  readonly partition?: number;
  readonly next: number;
  readonly open: readonly number[];
  readonly acked: number;
  readonly sums: readonly number[];
  readonly got?: readonly (readonly Batch[] | null)[];
  /** The group that it reads for, and how far each partition was read for it before; null: not yet. */
  readonly group?: string;
  readonly read?: readonly (number | null)[];
  /** How far each partition goes. */
  readonly ends?: readonly number[];
  readonly says?: string;
  /** When its own line is free again: what it sends goes one after the other. */
  readonly freeMs?: number;
}

/** What brokers, coordinators and clients send each other. */
export type LogBody =
  | { readonly is: 'meta'; readonly body: unknown }
  | { readonly is: 'alarm'; readonly name: string; readonly nth: number }
  | { readonly is: 'hello'; readonly key: string; readonly epoch: number; readonly epochs: PartLog['epochs']; readonly end: number }
  | {
      readonly is: 'copy';
      readonly key: string;
      readonly epoch: number;
      readonly batches: readonly Batch[];
      readonly at: number;
      readonly high: number;
      readonly epochs: PartLog['epochs'];
    }
  | { readonly is: 'have'; readonly key: string; readonly epoch: number; readonly end: number }
  | {
      readonly is: 'produce';
      readonly key: string;
      readonly nth: number;
      readonly acks: string;
      readonly bytes: string;
      readonly count: number;
      readonly sizeBytes: number;
    }
  | { readonly is: 'produced'; readonly nth: number; readonly ok: boolean; readonly says?: string }
  | { readonly is: 'read'; readonly key: string; readonly from: From; readonly most: number; readonly at?: number }
  | {
      readonly is: 'batches';
      readonly key: string;
      readonly ok: boolean;
      readonly batches: readonly Batch[];
      readonly end?: number;
      readonly says?: string;
    }
  | { readonly is: 'again' };
