import type { ApiObject } from '../model';
import type { Action } from './action';
import type { Due } from './clock/schedule';
import type { Step } from './clock/steps';
import type { Change } from './store';
import type { World } from './world';

/** An action and when it was taken, in virtual ms. */
export interface TimedAction {
  readonly atMs: number;
  readonly action: Action;
}

/** Where a world begins. */
export interface Origin {
  readonly seed: number;
  /** Nodes, backends, identities, registries and whatever else stands at T+0. */
  readonly ground: readonly ApiObject[];
  /** The ground is a cluster in the middle of its life: objects keep their uids and times, and pods that run go on running. */
  readonly adopted?: boolean;
}

/** A world at a moment, as plain data with shared structure. */
export interface Snapshot {
  readonly nowMs: number;
  readonly changes: readonly Change[];
  readonly due: { due: Due[]; sequence: number };
  readonly steps: readonly Step[];
  readonly lines: readonly LogLine[];
  readonly memories: ReadonlyMap<string, Map<string, unknown>>;
  readonly births: ReadonlyMap<string, number>;
}

/** One line of a member's log. */
export interface LogLine {
  readonly atMs: number;
  /** `Pod namespace/name`. */
  readonly subject: string;
  readonly text: string;
  /** Something is wrong, or will be if it stays so. */
  readonly grave: boolean;
}

/** Worlds with a common clock. */
export interface Company {
  readonly settled: boolean;
  readonly nextMs: number | undefined;
  runUntil(targetMs: number, budget?: number): boolean;
  runSettled(budget?: number, latestMs?: number): boolean;
  /** Another world of it by its cluster's name, standing at a moment that it has nothing due before. */
  at(cluster: string, nowMs: number): World | undefined;
  readonly clusters: readonly string[];
}
