import { error } from '@sveltejs/kit';
import type { LayoutServerLoad } from './$types';
import { getApp } from '$server/services';

export const load: LayoutServerLoad = async ({ params, depends }) => {
  depends('rehearsal');
  const app = await getApp();
  const loadedAt = app.bus.latestId;
  const state = await app.rehearsals.state(params.id);
  if (!state.ok) error(404, state.refusal.detail);
  const cluster = await app.clusters.head(state.value.cluster);
  const kept = await app.keptProofs(params.id);
  const stack = await app.rehearsals.ask(params.id, 'stack', { proofs: kept.ok ? kept.value : [] });
  const tape = await app.rehearsals.ask(params.id, 'tape', {});
  if (!cluster || !stack.ok || !tape.ok) error(404, `The rehearsal ${params.id} is gone.`);
  const rehearsals = (await app.rehearsals.all()).filter((one) => one.cluster === cluster.name);
  return {
    id: params.id,
    loadedAt,
    rehearsal: state.value,
    clock: state.value.clock,
    cluster: { name: cluster.name, flag: cluster.flag, note: cluster.note, kind: cluster.kind },
    stack: stack.value,
    tape: tape.value,
    rehearsals: rehearsals.map(({ id, fork }) => ({ id, fork })),
    drafts: (await app.drafts.of(cluster.name)).length
  };
};
