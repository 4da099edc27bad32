/** The process answers. */
export const GET = () => new Response('ok\n', { headers: { 'content-type': 'text/plain; charset=utf-8' } });
