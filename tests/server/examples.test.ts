import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from 'vitest';
import { examples, type Example } from '$server/api/examples';
import type { Api } from '$server/api/types';
import { apiDoc } from './api-doc';
import { call, type Body } from './call';
import { answered } from './kept';

type Known = keyof Api;
/** What takes people who sign in; tests/server/access.test.ts calls it, and holds the answers to the description too. */
const signing = (key: Known) => /^(POST|DELETE|PUT) \/(session|first-keeper)/.test(key);

const data = mkdtempSync(join(tmpdir(), 'examples-'));
process.env.ROOT_BARN_DATA = data;
afterAll(() => rmSync(data, { recursive: true, force: true }));

async function laidOut({ rehearsal, blueprint, answers }: NonNullable<Example<Known>['laid']>) {
  const sheet = await call<{ yaml: string }>('POST', `/rehearsals/${rehearsal}/blueprints/${blueprint}`, { answers });
  expect((await call('POST', `/rehearsals/${rehearsal}/send`, sheet.body.yaml)).status).toBe(200);
  await call('POST', `/rehearsals/${rehearsal}/clock`, { until: 'settled' });
}

test('every endpoint has an example that can be made, and answers as it is described', async () => {
  const given = new Map<Known, unknown>();
  const numbered = (value: unknown): string | number | undefined => {
    if (value === undefined) return undefined;
    const one = (value as { items?: unknown[] }).items?.[0] ?? value;
    return (one as { id?: string | number }).id;
  };
  const refusals: string[] = [];
  for (const [key, example] of Object.entries(examples) as [Known, Example<Known>][]) {
    if (signing(key)) continue;
    const [method = '', pattern = ''] = key.split(' ');
    if (example.laid) await laidOut(example.laid);
    const from = example.given && given.get(example.given);
    const id = String(numbered(from) ?? '');
    const path = pattern.replace(/\{(\w+)\}/g, (_, name: string) =>
      encodeURIComponent(example.params?.[name] ?? (name === 'draft' ? String(numbered(given.get('POST /clusters/{name}/drafts'))) : id))
    );
    const query = new URLSearchParams(Object.entries(example.query ?? {}).map(([name, value]): [string, string] => [name, String(value)]));
    const body = method === 'POST' && example.given === 'GET /clusters/{name}/export' ? (from as Body) : (example.body as Body | undefined);
    const answer = await call(method, `${path}${query.size ? `?${query}` : ''}`, body).catch((error: unknown) => ({
      status: 500,
      body: String(error)
    }));
    given.set(key, answer.body);
    // Two dumps of a cluster can be compared.
    if (key === 'POST /clusters/read') await call(method, `${path}?${query}`, body);
    if (answer.status >= 300) refusals.push(`${key}: ${answer.status} ${JSON.stringify(answer.body).slice(0, 400)}`);
  }
  expect(refusals).toEqual([]);
  expect(Object.keys(examples).filter((key) => !signing(key as Known) && !answered.has(key))).toEqual([]);

  const doc = apiDoc(given);
  if (process.env.WRITE_DOCS) writeFileSync('docs/api.md', doc);
  // Once in many runs what was undone was still under way when it was answered. The page is not wrong for that.
  const still = (text: string) => text.replaceAll(/"settled": (?:true|false)/g, '"settled": either');
  if (!process.env.WRITE_DOCS) expect(still(readFileSync('docs/api.md', 'utf8')), 'docs/api.md is made by npm run api').toBe(still(doc));
});
