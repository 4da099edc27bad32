import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params, url }: PageServerLoadEvent) => {
  const app = await getApp();
  const dumps = await app.reading.of(params.id);
  if (!dumps.ok) error(404, `${params.id} was not read from a dump.`);
  const number = (key: string) => (url.searchParams.has(key) ? Number(url.searchParams.get(key)) : undefined);
  const found = await app.reading.compare(params.id, number('before'), number('after'));
  const cut = <T>(list: readonly T[]) => list.slice(0, 500);
  return {
    dumps: dumps.value.map(({ id, takenMs, objects }) => ({ id, takenMs, objects })),
    ...(found.ok
      ? {
          before: found.value.before.id,
          after: found.value.after.id,
          counts: {
            came: found.value.comparison.came.length,
            went: found.value.comparison.went.length,
            changed: found.value.comparison.changed.length,
            waiting: found.value.comparison.waiting.length
          },
          comparison: {
            came: cut(found.value.comparison.came),
            went: cut(found.value.comparison.went),
            changed: cut(found.value.comparison.changed),
            waiting: cut(found.value.comparison.waiting),
            notCompared: cut(found.value.comparison.notCompared),
            became: {
              mended: cut(found.value.comparison.became.mended),
              broke: cut(found.value.comparison.became.broke),
              still: cut(found.value.comparison.became.still),
              fresh: cut(found.value.comparison.became.fresh),
              unseen: cut(found.value.comparison.became.unseen)
            }
          }
        }
      : { why: found.refusal })
  };
});
