/** By rehearsal: the latest change that this page has asked for and not heard of yet. */
const asked = new Map<string, Promise<unknown>>();

/** What changes nothing, or takes long and may be stopped: nobody waits for it, and what merely looks doesn't wait either. */
const looks = new Set(['sizing', 'look', 'brief', 'rework', 'persist', 'blueprints', 'design']);
const long = new Set(['clock', 'proofs']);

/**
 * Wishes reach a rehearsal in the order in which this page uttered them: two requests could overtake each other on their connections, and a
 * clock that settles before the send arrives leaves the sent undone. A run of the clock holds nothing up, so that it can be stopped. A wish
 * that takes several calls, or whose path doesn't name the rehearsal, is asked for as one: `inOrder('POST', '/rehearsals/a/send', all of it)`.
 */
export async function inOrder<T>(method: string, path: string, ask: () => Promise<T>): Promise<T> {
  const [, id, what = ''] = /^\/rehearsals\/([^/?]+)(?:\/([a-z]+))?/.exec(path) ?? [];
  if (id === undefined || method === 'GET' || looks.has(what)) return ask();
  const before = asked.get(id);
  const answer = before ? before.then(ask, ask) : ask();
  if (long.has(what)) return answer;
  asked.set(id, answer);
  const over = () => void (asked.get(id) === answer && asked.delete(id));
  answer.then(over, over);
  return answer;
}
