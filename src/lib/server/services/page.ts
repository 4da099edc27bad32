import { error } from '@sveltejs/kit';
import type { Queries, QueryName } from '../views';
import { getApp } from './index';

/** Asks a rehearsal for a page; a rehearsal that isn't there makes the page a 404. */
export async function asked<N extends QueryName>(id: string, name: N, params: Parameters<Queries[N]>[1]): Promise<ReturnType<Queries[N]>> {
  const app = await getApp();
  const answer = await app.rehearsals.ask(id, name, params);
  if (!answer.ok) error(answer.refusal.status, answer.refusal.detail);
  return answer.value;
}

/**
 * The load of a sheet that follows its rehearsal: it is loaded anew when something happened there, and says by `asOf` (the number of the
 * latest live event before it was made) how new it is.
 */
export const followed =
  <Event extends { depends(...what: `${string}:${string}`[]): void }, T extends object>(load: (event: Event) => Promise<T>) =>
  async (event: Event): Promise<T & { asOf: number }> => {
    event.depends('app:sheet');
    const asOf = (await getApp()).bus.latestId;
    return { asOf, ...(await load(event)) };
  };
