import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { fitTable } from '$server/services/fit';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends, url }) => {
  depends('fit');
  const app = await getApp();
  const draft = await app.drafts.find(Number(params.draft));
  if (!draft) error(404, 'There is no such draft; it may have been thrown away.');
  const must: Record<string, Record<string, boolean>> = {};
  for (const one of url.searchParams.getAll('must')) {
    const [name = '', trait = '', wanted] = one.split(' ');
    if (['grows', 'keeps', 'encrypts'].includes(trait))
      must[name === '-' ? '' : name] = { ...must[name === '-' ? '' : name], [trait]: wanted === 'yes' };
  }
  const found = await fitTable(app, params.id, draft.files, must, false);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  const sent = await app.writing.sent(draft.id);
  return {
    draft: { id: draft.id, name: draft.name, revision: draft.revision, files: draft.files },
    table: found.value,
    must,
    flags: Object.fromEntries((await app.clusters.all()).map((one) => [one.name, one.flag])),
    sent: sent.ok ? sent.value : []
  };
};
