import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params }) => {
  const app = await getApp();
  const found = await app.reading.assumptions(params.id);
  if (!found.ok) error(404, `${params.id} was not read from a dump.`);
  const taken = new Set((await app.clusters.all()).map((one) => one.name));
  let free = `${params.id}-try`;
  for (let i = 2; taken.has(free); i += 1) free = `${params.id}-try-${i}`;
  return { assumptions: found.value, free, taken: [...taken] };
};
