import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from 'vitest';

const folders: string[] = [];
const running = new Set<ChildProcess>();
afterAll(() => {
  for (const child of running) child.kill('SIGKILL');
  for (const folder of folders) rmSync(folder, { recursive: true, force: true });
});

/** The built server on a port of its own. */
async function start(data: string): Promise<{ base: string; child: ChildProcess }> {
  expect(existsSync('build/handler.js'), 'npm run build comes before these tests').toBe(true);
  const child = spawn('node', ['scripts/serve.mjs', '--port', '0', '--data', data], { stdio: ['ignore', 'pipe', 'inherit'] });
  running.add(child);
  const base = await new Promise<string>((resolve, reject) => {
    child.stdout!.on('data', (chunk: Buffer) => {
      const address = /http:\/\/[\d.]+:\d+/.exec(chunk.toString());
      if (address) resolve(`${address[0]}/api/v1`);
    });
    child.on('exit', (code) => reject(new Error(`the server ended with ${code}`)));
  });
  return { base, child };
}

function folder(): string {
  const made = mkdtempSync(join(tmpdir(), 'root-barn-crash-'));
  folders.push(made);
  return made;
}

async function call<T>(base: string, method: string, path: string, body?: string | object): Promise<T> {
  const response = await fetch(base + path, {
    method,
    headers: { 'content-type': 'application/json' },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) })
  });
  return (await response.json()) as T;
}

const at = '/rehearsals/south-quay';
const settled = { until: 'settled' };
/** The story in steps that a killed server can take up again at any of them. */
const steps: ((base: string) => Promise<unknown>)[] = [
  async (base) =>
    call(base, 'POST', `${at}/send`, (await call<{ yaml: string }>(base, 'GET', '/drivers/block.standin.example/install')).yaml),
  (base) => call(base, 'POST', `${at}/clock`, settled),
  (base) => call(base, 'POST', `${at}/remove`, { kind: 'Pod', namespace: 'tickets', name: 'bookings-0' }),
  (base) => call(base, 'POST', `${at}/clock`, settled),
  (base) => call(base, 'POST', `${at}/scale`, { namespace: 'tickets', name: 'bookings', replicas: 1 }),
  (base) => call(base, 'POST', `${at}/clock`, settled)
];
const journal = (base: string) => call<{ hash: string; count: number }>(base, 'GET', `${at}/journal?limit=0`);

describe('a server that is killed', () => {
  test('goes on where it was answered: the same journal in the end as one that never was', async () => {
    const whole = await start(folder());
    for (const step of steps) await step(whole.base);
    const expected = await journal(whole.base);
    whole.child.kill('SIGTERM');

    const data = folder();
    let { base, child } = await start(data);
    for (const [i, step] of steps.entries()) {
      if (i % 2 === 1) {
        // Killed in the middle of a run, and right after an answered action.
        const lost = step(base).catch(() => 'lost');
        await new Promise((resolve) => setTimeout(resolve, i === 1 ? 15 : 0));
        child.kill('SIGKILL');
        await lost;
        ({ base, child } = await start(data));
      }
      await step(base);
    }
    expect(await journal(base)).toEqual(expected);
    expect(expected.count).toBeGreaterThan(150);
    child.kill('SIGTERM');
  });

  test("long runs don't hold other requests up, can be stopped, and the rest of the estate answers meanwhile", async () => {
    const { base, child } = await start(folder());
    await steps[0]!(base);
    await call(base, 'POST', '/rehearsals/south-quay/clock', settled);
    const sets = Array.from(
      { length: 120 },
      (_, i) =>
        `apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: s${i}, namespace: tickets}\nspec: {replicas: 8, podManagementPolicy: Parallel, serviceName: x, selector: {matchLabels: {app: s${i}}}, template: {metadata: {labels: {app: s${i}}}, spec: {containers: [{name: c, image: shelf.standin.example/x}]}}}`
    );
    expect(await call(base, 'POST', `${at}/send`, sets.join('\n---\n'))).toMatchObject({ revision: 5 });
    // Standing harbour up takes a while, and may happen on the other core: that is not what is looked at here.
    await call(base, 'GET', '/rehearsals/harbour');
    const run = call<{ nowMs: number; settled: boolean }>(base, 'POST', `${at}/clock`, settled);
    let over = false;
    void run.then(() => (over = true));
    let answered = 0;
    while (answered < 3) {
      await call(base, 'GET', '/rehearsals/harbour');
      expect(over, `the run was over after ${answered} answers`).toBe(false);
      answered += 1;
    }
    await call(base, 'POST', `${at}/clock`, { pause: true });
    expect((await run).settled).toBe(false);
    expect(await call(base, 'POST', `${at}/clock`, settled)).toMatchObject({ settled: true });
    child.kill('SIGTERM');
  });
});
