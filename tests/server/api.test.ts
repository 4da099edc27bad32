import { Validator } from '@seriousme/openapi-schema-validator';
import { beforeAll, describe, expect, test, vi } from 'vitest';
import type { dispatch as Dispatch } from '$server/api/dispatch';
import { openapi } from '$server/api/openapi';
import { endpoints } from '$server/api/endpoints';
import { getApp, type LiveEvent } from '$server/services';
import { liveStream } from '$server/api/live';
import { differs } from './kept';

process.env.ROOT_BARN_DATA = ':memory:';
let dispatch: typeof Dispatch;
beforeAll(async () => {
  ({ dispatch } = await import('$server/api/dispatch'));
});

interface Reply {
  status: number;
  type: string | null;
  body: Record<string, unknown> & { items: Record<string, unknown>[] };
}
async function call(method: string, path: string, body?: string | object, headers: Record<string, string> = {}): Promise<Reply> {
  const text = typeof body === 'string' ? body : body && JSON.stringify(body);
  const response = await dispatch(
    new Request(`http://127.0.0.1/api/v1${path}`, { method, headers, ...(text === undefined ? {} : { body: text }) }),
    path.split('?')[0]!
  );
  const value = (await response.json()) as Reply['body'];
  if (response.ok) expect(differs(method, path, value)).toBe('');
  return { status: response.status, type: response.headers.get('content-type'), body: value };
}
const line = (id: string) => call('GET', `/rehearsals/${id}/root-line?kind=Pod&namespace=tickets&name=bookings-0`);
const settle = (id: string) => call('POST', `/rehearsals/${id}/clock`, { until: 'settled' });
let nextFork = 0;
/** A fork of the stuck cluster to work on, so that tests don't meet. */
async function fork(from = 'south-quay'): Promise<string> {
  const { body, status } = await call('POST', `/rehearsals/${from}/forks`, { name: `t${(nextFork += 1)}` });
  expect(status).toBe(201);
  return (body as unknown as { id: string }).id;
}
async function remedy(id: string): Promise<string> {
  const { body } = await line(id);
  const joints = (body as unknown as { joints: { joint: string; remedy?: { manifests: string } }[] }).joints;
  return joints.find((one) => one.joint === 'driver')!.remedy!.manifests;
}
async function mended(): Promise<string> {
  const id = await fork();
  expect((await call('POST', `/rehearsals/${id}/send`, await remedy(id))).status).toBe(200);
  expect((await settle(id)).body).toMatchObject({ settled: true });
  return id;
}
const hash = async (id: string) => ((await call('GET', `/rehearsals/${id}/journal?limit=0`)).body as unknown as { hash: string }).hash;

describe("the story over the programs' interface", () => {
  test('trace, mend, run, prove, take out', async () => {
    const id = await fork();
    expect((await line(id)).body).toMatchObject({ firstBreak: 'driver', nowMs: 250_000 });
    const yaml = await remedy(id);
    const sheet = await call('POST', `/rehearsals/${id}/change-sheet`, yaml);
    expect((sheet.body as unknown as { new: object[] }).new).toHaveLength(8);
    expect((await call('POST', `/rehearsals/${id}/send`, yaml)).body).toMatchObject({ nowMs: 250_000, revision: 4 });
    await settle(id);
    const claims = await call('GET', `/rehearsals/${id}/objects?kind=PersistentVolumeClaim&namespace=tickets`);
    expect(claims.body.items.map((one) => (one.status as { phase: string }).phase)).toEqual(['Bound', 'Bound', 'Bound']);
    expect((await line(id)).body).toMatchObject({ firstBreak: null });
    const proofs = await call('POST', `/rehearsals/${id}/proofs`, { namespace: 'tickets', set: 'bookings' });
    expect(proofs.body.items.map((one) => [one.state, one.stale])).toEqual(Array(11).fill(['holds', false]));
    const out = (await call('GET', `/rehearsals/${id}/manifests`)).body as unknown as { yaml: string; count: number };
    expect(out.count).toBe(30);
    expect(out.yaml.indexOf('kind: StatefulSet')).toBeGreaterThan(out.yaml.indexOf('kind: Service\n'));
    await call('POST', `/rehearsals/${id}/scale`, { namespace: 'tickets', name: 'bookings', replicas: 2 });
    await settle(id);
    expect((await call('GET', `/rehearsals/${id}/proofs`)).body.items.every((one) => one.stale)).toBe(true);
    expect((await line('south-quay')).body).toMatchObject({ firstBreak: 'driver' });
  });

  test('names are looked up as a pod would', async () => {
    const id = await mended();
    const ask = async (namespace: string, name: string) =>
      ((await call('GET', `/rehearsals/${id}/resolve?namespace=${namespace}&name=${name}`)).body as unknown as { addresses: string[] })
        .addresses.length;
    expect([
      await ask('tickets', 'bookings-0'),
      await ask('tickets', 'bookings-0.bookings'),
      await ask('default', 'bookings-0.bookings'),
      await ask('default', 'bookings-0.bookings.tickets')
    ]).toEqual([0, 1, 0, 1]);
  });

  test('the clock goes back and forth; what was is as it was; sending in the past needs a fork', async () => {
    const id = await mended();
    const end = await hash(id);
    const back = await call('POST', `/rehearsals/${id}/clock`, { untilMs: 249_000 });
    expect(back.body).toMatchObject({ nowMs: 249_000, settled: true });
    expect((await line(id)).body).toMatchObject({ firstBreak: 'driver', nowMs: 249_000 });
    const late = await call('POST', `/rehearsals/${id}/send`, 'apiVersion: v1\nkind: Namespace\nmetadata: {name: late}');
    expect([late.status, late.body.type]).toEqual([409, 'urn:root-barn:problem:later-actions']);
    const other = await fork(id);
    expect((await line(other)).body).toMatchObject({ firstBreak: 'driver', nowMs: 249_000 });
    await call('POST', `/rehearsals/${id}/clock`, { until: 'settled' });
    expect(await hash(id)).toBe(end);
    for (const step of [-1, -1, 1, 1]) await call('POST', `/rehearsals/${id}/clock`, { step });
    expect(await hash(id)).toBe(end);
  });

  test('where nothing was sent later, sending in the past forgets what was derived after it', async () => {
    const id = await fork();
    await call('POST', `/rehearsals/${id}/clock`, { untilMs: 900_000 });
    await call('POST', `/rehearsals/${id}/clock`, { untilMs: 300_000 });
    expect((await call('POST', `/rehearsals/${id}/send`, await remedy(id))).body).toMatchObject({ nowMs: 300_000 });
    expect((await call('GET', `/rehearsals/${id}`)).body).toMatchObject({ clock: { nowMs: 300_000, frontierMs: 300_000 } });
  });

  test('the latest action can be taken back', async () => {
    const id = await mended();
    expect((await call('POST', `/rehearsals/${id}/undo`)).body).toMatchObject({ nowMs: 250_000 });
    expect((await line(id)).body).toMatchObject({ firstBreak: 'driver' });
  });

  test('an editor who saw an older revision is told, and nothing is sent', async () => {
    const id = await fork();
    const before = await hash(id);
    const stale = await call('POST', `/rehearsals/${id}/send`, await remedy(id), { 'if-match': '"1"' });
    expect([stale.status, stale.body.type, (stale.body.current as { revision: number }).revision]).toEqual([
      409,
      'urn:root-barn:problem:stale-revision',
      3
    ]);
    expect(await hash(id)).toBe(before);
  });
});

describe('bad input', () => {
  const claim = (size: string) =>
    `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: c}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: ${size}}}}`;
  const right = 'apiVersion: v1\nkind: Namespace\nmetadata: {name: half}\n---\n';
  const bomb = `a: &a [x]\n${Array.from({ length: 9 }, (_, i) => `${'bcdefghij'[i]}: &${'bcdefghij'[i]} [${Array(9).fill(`*${'abcdefghi'[i]}`).join(', ')}]`).join('\n')}`;
  test.each([
    ['broken YAML', 'a: [b\nc: d', 400, 'yaml-syntax'],
    ['an unknown kind', `${right}apiVersion: v1\nkind: Thing\nmetadata: {name: a}`, 400, 'unknown-kind'],
    ['a wrong type', `${right}apiVersion: v1\nkind: Service\nmetadata: {name: a}\nspec: {ports: [{port: x}]}`, 400, 'wrong-type'],
    ['a name against the rules', `${right}apiVersion: v1\nkind: Namespace\nmetadata: {name: A_b}`, 400, 'bad-name'],
    ['a claim of 0', right + claim('0'), 400, 'bad-quantity'],
    ['a claim of "ten"', right + claim('ten'), 400, 'bad-quantity'],
    ['one object twice', `${right}${claim('1Gi')}\n---\n${claim('1Gi')}`, 400, 'duplicate-object'],
    ['an alias bomb', bomb, 400, 'alias-bomb'],
    ['nothing', '\n', 400, 'nothing-to-send'],
    [
      'an immutable field',
      `${right}apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: steady-block}\nprovisioner: other.example`,
      422,
      'immutable-field'
    ],
    ['more than 5 MiB', `# ${'x'.repeat(5 * 2 ** 20)}`, 413, 'body-too-large']
  ])('%s is answered with problem details; nothing is half sent', async (_, body, status, code) => {
    const before = await hash('south-quay');
    const answer = await call('POST', '/rehearsals/south-quay/send', body);
    expect([answer.status, answer.type, answer.body.type]).toEqual([status, 'application/problem+json', `urn:root-barn:problem:${code}`]);
    expect(String(answer.body.remedy).length).toBeGreaterThan(5);
    if (status === 400 && code !== 'nothing-to-send')
      expect((answer.body.problems as unknown as { at: { line: number; column: number } }[])[0]!.at).toMatchObject({
        line: expect.any(Number),
        column: expect.any(Number)
      });
    expect(await hash('south-quay')).toBe(before);
    expect((await call('GET', '/rehearsals/south-quay/objects?kind=Namespace&name=half')).body.items).toEqual([]);
  });

  test.each([
    ['GET', '/rehearsals/nowhere', undefined, 404, 'unknown-rehearsal'],
    ['POST', '/rehearsals/nowhere/send', 'apiVersion: v1\nkind: Namespace\nmetadata: {name: a}', 404, 'unknown-rehearsal'],
    ['GET', '/rehearsals/south-quay/root-line?kind=Pod&namespace=tickets&name=nobody', undefined, 404, 'not-found'],
    ['GET', '/rehearsals/south-quay/root-line?kind=Chair&name=a', undefined, 400, 'bad-request'],
    ['POST', '/rehearsals/south-quay/remove', { kind: 'Pod', namespace: 'tickets', name: 'nobody' }, 404, 'not-found'],
    ['POST', '/rehearsals/south-quay/clock', { untilMs: -1 }, 400, 'bad-request'],
    ['POST', '/rehearsals/south-quay/clock', { untilMs: 1e15 }, 400, 'bad-value'],
    ['POST', '/rehearsals/south-quay/clock', 'not json', 400, 'bad-request'],
    ['POST', '/rehearsals/south-quay/forks', { name: 'Bad Name' }, 400, 'bad-name'],
    ['POST', '/rehearsals/south-quay/forks', { name: 'late', atMs: 9e9 }, 400, 'bad-value'],
    ['POST', '/rehearsals/south-quay/proofs', { namespace: 'tickets', set: 'nobody' }, 404, 'not-found'],
    ['DELETE', '/rehearsals/south-quay', undefined, 409, 'trunk-stays'],
    ['DELETE', '/rehearsals/south-quay/send', undefined, 405, 'wrong-method'],
    ['DELETE', '/tokens/nothing-here', undefined, 404, 'not-found'],
    ['DELETE', '/tokens/77', undefined, 404, 'not-found'],
    ['GET', '/drafts/77/states', undefined, 404, 'not-found'],
    ['GET', '/nothing/here', undefined, 404, 'unknown-path']
  ])('%s %s', async (method, path, body, status, code) => {
    const answer = await call(method, path, body);
    expect([answer.status, answer.type, answer.body.type]).toEqual([status, 'application/problem+json', `urn:root-barn:problem:${code}`]);
  });
});

describe('the description and the live events', () => {
  test('every endpoint is described, with its schemas', () => {
    const { paths, openapi: version } = openapi();
    expect(version).toMatch(/^3\.0/);
    for (const { method, path } of endpoints) expect(paths[`/api/v1${path}`]?.[method.toLowerCase()], `${method} ${path}`).toBeDefined();
    expect(JSON.stringify(paths['/api/v1/rehearsals/{id}/clock'])).toContain('untilMs');
  });

  test('the description is OpenAPI 3.0, by the published schema of it', async () => {
    // Source: OpenAPI Initiative, schema of version 3.0; package @seriousme/openapi-schema-validator.
    const { valid, errors } = await new Validator().validate(structuredClone(openapi()) as Record<string, unknown>);
    expect(errors).toBeUndefined();
    expect(valid).toBe(true);
  });

  test('a watcher gets what happens, and one who comes back what was missed, or is told to load anew', async () => {
    const { bus } = await getApp();
    const seen: LiveEvent[] = [];
    const stop = bus.watch((event) => seen.push(event));
    const id = await fork();
    await call('POST', `/rehearsals/${id}/clock`, { untilMs: 260_000 });
    await call('POST', `/rehearsals/${id}/clock`, { untilMs: 270_000 });
    stop();
    expect(seen.map((one) => one.kind)).toEqual(['forked', 'clock', 'clock']);
    const read = async (last: number, query = ''): Promise<string> => {
      const abort = new AbortController();
      const headers: Record<string, string> = query ? {} : { 'last-event-id': String(last) };
      const response = await liveStream(new Request(`http://x/${query}`, { headers, signal: abort.signal }), id, 'me');
      const reader = response.body!.getReader();
      let text = '';
      while (!/data/.test(text)) text += new TextDecoder().decode((await reader.read()).value);
      abort.abort();
      return text;
    };
    expect(await read(seen[1]!.id)).toContain(`id: ${seen[2]!.id}\nevent: clock`);
    expect(await read(0, `?after=${seen[1]!.id}`)).toContain(`id: ${seen[2]!.id}\nevent: clock`);
    expect(await read(1)).toContain('event: reload');
  });

  test('who is ended between being let in and the first word of a stream hears nothing more', async () => {
    const { access } = await getApp();
    const looked = vi.spyOn(access, 'stillIn').mockResolvedValueOnce(false);
    const { body } = await liveStream(new Request('http://x/'), 'all', 'ended');
    const words = await Promise.race([new Response(body).text(), new Promise((done) => setTimeout(() => done('open still'), 2_000))]);
    looked.mockRestore();
    expect(words).toBe('retry: 1000\n: open\n\n');
  });

  test('half of a character is refused at the door: a draft of that name would be kept as something else', async () => {
    const body = (text: string) => `{"name": "${text}", "text": ""}`;
    const half = await call('POST', '/clusters/south-quay/drafts', body('a\\ud800b'));
    expect([half.status, half.body.title]).toEqual([400, 'The body holds half of a character']);
    expect((await call('POST', '/clusters/south-quay/drafts', `${'['.repeat(200_000)}"\\udc00"${']'.repeat(200_000)}`)).status).toBe(400);
    const whole = await call('POST', '/clusters/south-quay/drafts', body('a\\ud83d\\ude00b'));
    expect(whole.status).toBe(201);
    expect((await call('GET', `/drafts/${whole.body.id}`)).body.name).toBe('a😀b');
    await call('DELETE', `/drafts/${whole.body.id}`);
  });

  test('drafts are kept, changed and thrown away', async () => {
    const made = await call('POST', '/clusters/south-quay/drafts', { name: 'first', text: 'a: b' });
    const id = (made.body as unknown as { id: number }).id;
    expect((await call('PUT', `/drafts/${id}`, { text: 'a: c' })).body).toMatchObject({
      name: 'first',
      files: [{ name: 'draft.yaml', text: 'a: c' }]
    });
    expect((await call('DELETE', `/drafts/${id}`)).status).toBe(200);
    expect((await call('PUT', `/drafts/${id}`, { text: 'x' })).status).toBe(404);
  });
});
