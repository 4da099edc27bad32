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
