import { getApp } from '$server/services';
import type { LayoutServerLoad } from './$types';

/** Who is signed in, where people sign in. */
export const load: LayoutServerLoad = async ({ locals }) => {
  const app = await getApp();
  const { caller } = locals;
  return { me: app.access.demanded && caller ? { name: caller.name, role: caller.role } : null };
};
