/** By rehearsal: the latest change that this page has asked for and not heard of yet. */
const asked = new Map<string, Promise<unknown>>();

/** What is sent to a rehearsal that the path doesn't name: all that follows waits for it. */
const anywhere = '*';

/** What changes nothing, or takes long and may be stopped: nobody waits for it, and what merely looks doesn't wait either. */
const looks = new Set(['look', 'brief', 'rework', 'persist', 'blueprints', 'design']);
const long = new Set(['clock', 'proofs']);

/**
 * Wishes reach a rehearsal in the order in which this page uttered them: two requests could overtake each other on their connections, and a
 * clock that settles before the send arrives leaves the sent undone. A run of the clock holds nothing up, so that it can be stopped.
 */
export async function inOrder<T>(method: string, path: string, ask: () => Promise<T>): Promise<T> {
  const [, rehearsal, what = ''] = /^\/rehearsals\/([^/?]+)(?:\/([a-z]+))?/.exec(path) ?? [];
  // A draft is sent under its own name, and says in its body where to.
  const id = rehearsal ?? (/^\/drafts\/[^/]+\/send$/.test(path) ? anywhere : undefined);
  if (id === undefined || method === 'GET' || looks.has(what)) return ask();
  const open = id === anywhere ? [...asked.values()] : [asked.get(id), asked.get(anywhere)].filter((one) => one !== undefined);
  const before = open.length > 1 ? Promise.allSettled(open) : open[0];
  const answer = before ? before.then(ask, ask) : ask();
  if (long.has(what)) return answer;
  asked.set(id, answer);
  const over = () => void (asked.get(id) === answer && asked.delete(id));
  answer.then(over, over);
  return answer;
}
