import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** A cluster's ground document, to be kept under version control. */
export const GET: RequestHandler = async ({ params }) => {
  const app = await getApp();
  const state = await app.rehearsals.state(params.id);
  if (!state.ok) error(404, state.refusal.detail);
  const found = await app.layouts.document(state.value.cluster);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  return new Response(found.value.yaml, { headers: { 'content-type': 'application/yaml; charset=utf-8', 'cache-control': 'no-store' } });
};
