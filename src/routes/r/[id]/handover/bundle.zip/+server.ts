import { error } from '@sveltejs/kit';
import { strToU8, zipSync } from 'fflate';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** The same moment for every file: the bundle of a state has the same bytes whenever it is taken. An archive's dates have no zone. */
const mtime = new Date(1980, 0, 1);

export const GET: RequestHandler = async ({ params, url }) => {
  const app = await getApp();
  const found = await app.bundle(params.id, url.searchParams.get('namespace') ?? undefined);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  const { name, files } = found.value;
  const bytes = zipSync(Object.fromEntries(files.map((one) => [`${name}/${one.name}`, strToU8(one.text)])), { mtime, level: 6 });
  return new Response(bytes as Uint8Array<ArrayBuffer>, {
    headers: {
      'content-type': 'application/zip',
      'content-disposition': `attachment; filename="${name}.zip"`,
      'cache-control': 'no-store'
    }
  });
};
