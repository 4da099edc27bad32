import { error } from '@sveltejs/kit';
import { faultLevels, faults, goneOf } from '$core/drills';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

/** What a square of the matrix shows: the drill without its evidence. */
export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const found = await app.drills.all(params.id);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  const { workloads, drills, round } = found.value;
  const squares = drills.map(({ namespace, workload, fault, state, stale, says, measured, atMs, cause }) => ({
    key: `${namespace}/${workload}/${fault}`,
    state,
    stale,
    says,
    atMs,
    pauseMs: measured.writesPauseMs,
    /** For good: what came back from copies isn't. */
    lost: goneOf(measured),
    cause: cause?.says ?? '',
    remedy: cause?.remedy ?? ''
  }));
  const columns = faultLevels.map((level) => ({
    level,
    faults: faults.filter((one) => one.level === level).map(({ id, title, why }) => ({ id, title, why }))
  }));
  return { workloads, squares, columns, round };
});
