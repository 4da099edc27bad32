import { error } from '@sveltejs/kit';
import type { LayoutServerLoad } from './$types';
import { getApp } from '$server/services';
import { frameOf } from '$server/services/frame';

export const load: LayoutServerLoad = async ({ params }) => {
  const frame = await frameOf(await getApp(), params.id);
  if (!frame.ok) error(404, frame.refusal.detail);
  return { frame: frame.value, id: params.id, cluster: frame.value.cluster };
};
