import { error } from '@sveltejs/kit';
import { zipOf } from '$server/handover/zip';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

export const GET: RequestHandler = async ({ params, url }) => {
  const app = await getApp();
  const found = await app.bundle(params.id, url.searchParams.get('namespace') ?? undefined);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  return new Response(zipOf(found.value) as Uint8Array<ArrayBuffer>, {
    headers: {
      'content-type': 'application/zip',
      'content-disposition': `attachment; filename="${found.value.name}.zip"`,
      'cache-control': 'no-store'
    }
  });
};
