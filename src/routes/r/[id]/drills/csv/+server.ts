import { error } from '@sveltejs/kit';
import { faultNamed, goneOf } from '$core/drills';
import { csvResponse } from '$server/csv';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

const heads = [
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
];

/** The latest drill of each workload and fault with its figures, as comma-separated values (RFC 4180). What was not seen is left empty. */
export const GET: RequestHandler = async ({ params }) => {
  const app = await getApp();
  const found = await app.drills.all(params.id);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  return csvResponse(
    'drills',
    heads,
    found.value.drills.map((one) => [
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
    ])
  );
};
