import type { Kind } from '../../model';
import { reactionMs } from '../clock/steps';
import { loops } from './index';
import type { AbroadWatch } from './loop';

/** A loop that watches other clusters: its place among the loops, and how long after a change it is called (ms). */
export interface FarListener {
  readonly loop: number;
  readonly pace: number;
  readonly watch: AbroadWatch<Kind>;
}

/** Loops that watch other clusters, by the kind of what changed there. */
export const farListeners = new Map<Kind, FarListener[]>();
loops.forEach((loop, i) => {
  for (const [kind, watch] of Object.entries(loop.abroad ?? {})) {
    const list = farListeners.get(kind as Kind) ?? [];
    list.push({ loop: i, pace: loop.paceMs ?? reactionMs, watch: watch as AbroadWatch<Kind> });
    farListeners.set(kind as Kind, list);
  }
});
