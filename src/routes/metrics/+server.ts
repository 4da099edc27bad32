import { openStreams } from '$server/api/live';
import { getApp } from '$server/services';

/** What the process measures of itself, in the OpenMetrics text format. */
export const GET = async () => {
  const { text, type } = await (await getApp()).measured(openStreams());
  return new Response(text, { headers: { 'content-type': type } });
};
