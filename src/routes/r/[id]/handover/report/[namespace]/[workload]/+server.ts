import { error } from '@sveltejs/kit';
import { reportHtml } from '$server/report-html';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** The report of a workload: a page with everything inside, or Markdown with `as=md`. */
export const GET: RequestHandler = async ({ params, url }) => {
  const app = await getApp();
  const found = await app.report(params.id, { namespace: params.namespace, workload: params.workload });
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  const { name, text } = found.value;
  const markdown = url.searchParams.get('as') === 'md';
  return new Response(markdown ? text : reportHtml(`${params.workload} on ${params.id}`, text), {
    headers: {
      'content-type': markdown ? 'text/markdown; charset=utf-8' : 'text/html; charset=utf-8',
      ...(markdown || url.searchParams.has('take')
        ? { 'content-disposition': `attachment; filename="${name}.${markdown ? 'md' : 'html'}"` }
        : {}),
      'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'",
      'cache-control': 'no-store'
    }
  });
};
