import type { SpanMs } from '../../clock/steps';
import type { Op } from '../../engines/site';

/** A version of an image and the cluster versions that it fits, both ends included. Made up. */
export interface ImageVersion {
  readonly version: string;
  readonly from: string;
  readonly to: string;
}

/** What can be asked of an engine, as forms: which fields an ask has, with words. */
export interface ConsoleForm {
  readonly do: string;
  readonly title: string;
  readonly fields: readonly {
    readonly id: 'place' | 'key' | 'value' | 'count' | 'bytes' | 'from' | 'group' | 'acks';
    readonly label: string;
    readonly start: string;
    readonly options?: readonly string[];
  }[];
  /** Whether it matters which member is asked. */
  readonly member: boolean;
}

/** One part of an engine: its image, and what it is among the parts of a workload. */
export interface EnginePartCard {
  /** Name of its image. */
  readonly name: string;
  readonly part: string;
  /** When it starts among the parts of a workload: lower first. Order of parts: common practice, no source. */
  readonly rank: number;
  /** Whether its members decide by a majority of them. */
  readonly byMajority?: boolean;
  /** It works behind the others: clients aren't led to it. */
  readonly behind?: boolean;
  /** The version that is offered, and those before it, each with the cluster versions that it fits. */
  readonly version: string;
  readonly older?: readonly ImageVersion[];
  /** Size of its image, in MiB. */
  readonly mib: number;
  /** How long it takes from its start to being ready: what is drawn from, and what is normal. */
  readonly drawMs: SpanMs;
  readonly normalMs: SpanMs;
  /** The same for the first member, which founds what others join. */
  readonly first?: { readonly drawMs: SpanMs; readonly normalMs: SpanMs };
  /** Memory below which it is killed at its start, in MiB. */
  readonly leastMib?: number;
  /** Clients ask at the first; members talk among themselves at the others (at the only one where there is one). */
  readonly ports: readonly number[];
  /** Where clients are served with certificates. */
  readonly tlsPort?: number;
  /** With a certificate to show it takes no plain calls. */
  readonly tlsAlone?: boolean;
  readonly licence?: string;
}

/** What is known of an engine beside how it behaves. */
export interface EngineCard {
  /**
   * Whom a client has to come to. `any`: each member answers by itself; `routed`: each knows who leads what is asked for; left out: one leads all.
   */
  readonly asks?: 'any' | 'routed';
  /** What somebody calls it who supposes that a program of another name behaves like it, e.g. `a server of shared files`. */
  readonly likeness?: string;
  readonly parts: readonly EnginePartCard[];
  /** It hands out a copy of all that it holds and takes it back: with the log behind it, or the copy alone. */
  readonly copies: 'with-log' | 'alone';
  /** What it calls a part of what it keeps, which can be dropped and come back alone, e.g. `topic`. */
  readonly place: string;
  /** Something that it answers without changing anything. */
  readonly harmless: Op;
  /** Its console. */
  readonly forms: readonly ConsoleForm[];
}
