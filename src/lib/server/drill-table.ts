import { faultNamed, goneOf } from '$core/drills';
import type { ShownDrill } from './services/drills';

/** Heads of the table of drills. */
export const drillHeads = [
  'namespace',
  'workload',
  'fault',
  'title',
  'struck',
  'tried_at_ms',
  'state',
  'stale',
  'writes_pause_ms',
  'writes_pause_allowed_ms',
  'reads_pause_ms',
  'acknowledged_writes',
  'lost_writes',
  'lost_for_good',
  'whole_after_ms',
  'others_hurt',
  'first_break',
  'supposed'
] as const;

/** A row of it. What was not seen is left empty. */
export const drillRow = (one: ShownDrill): (string | number | null)[] => [
  one.namespace,
  one.workload,
  one.fault,
  faultNamed(one.fault)?.title ?? '',
  one.target,
  one.atMs,
  one.state,
  one.stale ? 'yes' : 'no',
  one.measured.writesPauseMs,
  one.expectation.writesPauseMs ?? null,
  one.measured.readsPauseMs,
  one.measured.writes.acknowledged,
  one.measured.lostCount,
  goneOf(one.measured),
  one.measured.wholeMs,
  one.others.join(' '),
  one.cause?.says ?? '',
  (one.supposed ?? []).join('; ')
];
