import { unknownRehearsal, getApp, type LiveEvent } from '../services';
import { problemResponse } from './problem';

const beatMs = 15_000;

interface Stream {
  readonly client: string;
  close(): void;
}
const open = new Set<Stream>();

/** How many streams are open just now. */
export const openStreams = (): number => open.size;

/** Ends all streams, so that the server can stop at once. */
export function closeStreams(): void {
  for (const one of open) one.close();
}
process.once('sveltekit:shutdown', closeStreams);

/**
 * Server-sent events of one rehearsal ('all' for every one). A client that comes back with Last-Event-ID, or comes first with `?after=`
 * and the number that its page was loaded at, gets what it missed, or a `reload` when that is forgotten. One client (a session, or an
 * address) may hold a number of them open; 404 for a rehearsal that isn't there.
 */
export async function liveStream(request: Request, rehearsal: string, client: string): Promise<Response> {
  const app = await getApp();
  const { bus } = app;
  if (rehearsal !== 'all' && !(await app.rehearsals.all()).some((one) => one.id === rehearsal))
    return problemResponse(unknownRehearsal(rehearsal));
  const most = app.settings['most-streams'];
  if ([...open].filter((one) => one.client === client).length >= most) {
    const refusal = problemResponse({
      code: 'too-many-streams',
      status: 429,
      title: 'Too many event streams',
      detail: `One client may hold ${most} event streams open.`,
      remedy: 'Close some: one stream of "all" tells of every rehearsal. --most-streams raises the number.'
    });
    refusal.headers.set('retry-after', '5');
    return refusal;
  }
  const text = new TextEncoder();
  const mine = (event: LiveEvent) =>
    rehearsal === 'all' ||
    event.rehearsal === 'all' ||
    event.rehearsal === rehearsal ||
    (event.place !== undefined && event.rehearsal.split('~')[0] === rehearsal.split('~')[0]);
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
      // Whoever signed out, or was ended, hears nothing more. The stream may have ended meanwhile.
      const look = () =>
        void app.access
          .stillIn(request.headers)
          .then((stays) => {
            if (!open.has(entry)) return;
            if (stays) say(': beat\n\n');
            else stop();
          })
          .catch(() => stop());
      const beat = setInterval(look, beatMs);
      const unlook = app.access.whenEnded(look);
      const entry: Stream = { client, close: () => stop() };
      stop = () => {
        unwatch();
        unlook();
        clearInterval(beat);
        open.delete(entry);
        try {
          controller.close();
        } catch {
          // The client has closed it already.
        }
      };
      open.add(entry);
      request.signal.addEventListener('abort', stop);
      // It may have been ended between being let in and now, when nobody told this stream yet.
      look();
    },
    cancel: () => stop()
  });
  return new Response(stream, { headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' } });
}
