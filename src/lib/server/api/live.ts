import { getApp, type LiveEvent } from '../services';

const open = new Set<() => void>();

/** Ends all streams, so that the server can stop at once. */
export function closeStreams(): void {
  for (const close of open) close();
}
process.once('sveltekit:shutdown', closeStreams);
process.once('SIGTERM', closeStreams);
process.once('SIGINT', closeStreams);

/**
 * Server-sent events of one rehearsal ('all' for every one). A client that comes back with Last-Event-ID, or comes first with `?after=`
 * and the number that its page was loaded at, gets what it missed, or a `reload` when that is forgotten.
 */
export async function liveStream(request: Request, rehearsal: string): Promise<Response> {
  const { bus } = await getApp();
  const text = new TextEncoder();
  const mine = (event: LiveEvent) => rehearsal === 'all' || event.rehearsal === rehearsal;
  let stop = () => {};
  const stream = new ReadableStream<Uint8Array>({
    start(controller) {
      const say = (words: string) => controller.enqueue(text.encode(words));
      const tell = (event: LiveEvent) => say(`id: ${event.id}\nevent: ${event.kind}\ndata: ${JSON.stringify(event)}\n\n`);
      say('retry: 1000\n: open\n\n');
      const last = Number(request.headers.get('last-event-id') ?? new URL(request.url).searchParams.get('after') ?? NaN);
      if (!Number.isNaN(last)) {
        const missed = bus.since(last);
        if (missed) missed.filter(mine).forEach(tell);
        else say('event: reload\ndata: {}\n\n');
      }
      const unwatch = bus.watch((event) => mine(event) && tell(event));
      const beat = setInterval(() => say(': beat\n\n'), 15_000);
      stop = () => {
        unwatch();
        clearInterval(beat);
        open.delete(stop);
        try {
          controller.close();
        } catch {
          // The client has closed it already.
        }
      };
      open.add(stop);
      request.signal.addEventListener('abort', stop);
    },
    cancel: () => stop()
  });
  return new Response(stream, { headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' } });
}
