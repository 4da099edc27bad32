import fc from 'fast-check';
import { expect, test } from 'vitest';
import { dispatch } from './call';
import { oddRequests } from './fuzz';

/** What takes long by its nature; the soak (`npm run soak`) asks for it too. */
const slow = /POST .*\/(proofs|trials|drills|round|demo|first-keeper|session)$|PUT .*\/password$/;

const hangMs = 2_000;

test('whatever is asked over the whole interface: an answer within bounds, problem details, never a failure of ours', async () => {
  const { openapi } = await import('$server/api/openapi');
  const requests = fc.sample(oddRequests(openapi() as never, slow), { numRuns: Number(process.env.FUZZ_RUNS ?? 500), seed: 23 });
  const seen = new Set<number>();
  let taken = 0;
  for (const { method, path, headers, body } of requests) {
    const url = new URL(`http://127.0.0.1${path}`);
    const init = method === 'GET' || body === undefined ? {} : { body };
    const ask = async () => {
      const began = Date.now();
      const answer = await dispatch(new Request(url, { method, headers, ...init }), url.pathname.replace('/api/v1', ''));
      const said = await answer.text();
      return { answer, said, tookMs: Date.now() - began };
    };
    const first = await ask();
    const { answer, said } = first;
    seen.add(answer.status);
    if (answer.status < 300) taken += 1;
    expect(answer.status, `${method} ${path} ${JSON.stringify(headers)} ${body ?? ''}\n${said}`).toBeLessThan(500);
    // What hangs hangs again; a machine that was busy for a moment doesn't count.
    const tookMs = first.tookMs < hangMs ? first.tookMs : (await ask()).tookMs;
    expect(tookMs, `${method} ${path}`).toBeLessThan(hangMs);
    if (answer.status >= 400)
      expect(JSON.parse(said), path).toMatchObject({
        type: expect.stringContaining('urn:root-barn:problem:') as string,
        remedy: expect.any(String) as string
      });
  }
  // Many requests come through to something, so that more than the door is tried.
  expect([...seen]).toEqual(expect.arrayContaining([200, 400, 404, 409]));
  expect(taken).toBeGreaterThan(40);
});
