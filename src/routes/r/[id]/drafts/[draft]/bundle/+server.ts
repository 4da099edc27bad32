import { error } from '@sveltejs/kit';
import { applyEdits } from '$core/manifest';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** A draft as one file for a cluster (the one in the address), with that cluster's values; the values of secrets are left out unless asked for. */
export const GET: RequestHandler = async ({ params, url }) => {
  const app = await getApp();
  const draft = await app.drafts.find(Number(params.draft));
  if (!draft) error(404, 'There is no such draft; it may have been thrown away.');
  const cluster = url.searchParams.get('cluster') ?? draft.cluster;
  const found = await app.rehearsals.bundle(draft.files, cluster, url.searchParams.get('secrets') === 'yes');
  const texts = draft.files
    .filter((one) => !found.tables.includes(one.name))
    .map((one) =>
      applyEdits(
        one.text,
        found.edits.filter((edit) => edit.file === one.name)
      )
    );
  return new Response(texts.map((one) => one.trimEnd()).join('\n---\n') + '\n', {
    headers: {
      'content-type': 'application/yaml; charset=utf-8',
      'content-disposition': `attachment; filename="${draft.name.replace(/[^\w.-]+/g, '-').slice(0, 60) || 'draft'}-${cluster}.yaml"`
    }
  });
};
