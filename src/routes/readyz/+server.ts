import { getApp } from '$server/services';

/** Worlds answer and the database can be read. */
export const GET = async () => {
  const ready = await getApp()
    .then((app) => app.ready())
    .catch(() => false);
  return new Response(ready ? 'ready\n' : 'not ready\n', {
    status: ready ? 200 : 503,
    headers: { 'content-type': 'text/plain; charset=utf-8' }
  });
};
