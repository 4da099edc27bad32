import { error } from '@sveltejs/kit';
import { csvResponse } from '$server/csv';
import { drillHeads, drillRow } from '$server/drill-table';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** The latest drill of each workload and fault with its figures, as comma-separated values (RFC 4180). */
export const GET: RequestHandler = async ({ params }) => {
  const app = await getApp();
  const found = await app.drills.all(params.id);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  return csvResponse('drills', drillHeads, found.value.drills.map(drillRow));
};
