import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params, url }: PageServerLoadEvent) => {
  const app = await getApp();
  const [view, kept] = [await asked(params.id, 'calculations', {}), await app.keptSizings(params.id)];
  if (!kept.ok) error(kept.refusal.status, kept.refusal.detail);
  const one = kept.value.find((each) => String(each.id) === url.searchParams.get('kept'));
  const id = one?.calc ?? url.searchParams.get('calc');
  if (id === 'nodes' || id === 'cost') {
    const nodes = id === 'nodes' ? await asked(params.id, 'sizingNodes', {}) : null;
    const prices = id === 'cost' ? await asked(params.id, 'prices', {}) : null;
    return { view, calc: null, kept: kept.value, one: one ?? null, compared: [], first: null, nodes, prices };
  }
  const calc = view.calculations.find((each) => each.id === id) ?? view.calculations[0]!;
  const beside = (url.searchParams.get('beside') ?? '')
    .split(',')
    .flatMap((each) => kept.value.find((two) => String(two.id) === each && two.calc === calc.id) ?? []);
  const compared = await Promise.all(
    beside.map(async ({ id: nth, name, written }) => ({
      id: nth,
      name,
      sized: (await asked(params.id, 'sized', { calc: calc.id, written })).sized
    }))
  );
  return {
    view,
    calc,
    kept: kept.value,
    one: one && one.calc === calc.id ? one : null,
    compared,
    nodes: null,
    prices: null,
    first: await asked(params.id, 'sized', { calc: calc.id, written: one?.written ?? {} })
  };
});
