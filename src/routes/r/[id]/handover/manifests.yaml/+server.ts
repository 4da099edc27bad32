import { asked } from '$server/services/page';
import type { RequestHandler } from './$types';

export const GET: RequestHandler = async ({ params, url }) => {
  const namespace = url.searchParams.get('namespace');
  const { yaml } = await asked(params.id, 'manifests', {
    ...(namespace ? { namespace } : {}),
    secrets: url.searchParams.get('secrets') === 'keep' ? 'keep' : 'drop'
  });
  const name = `${params.id.replace('~', '-')}${namespace ? `-${namespace}` : ''}.yaml`;
  return new Response(yaml, {
    headers: { 'content-type': 'application/yaml; charset=utf-8', 'content-disposition': `attachment; filename="${name}"` }
  });
};
