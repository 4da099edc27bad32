import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ApiObject } from '$core/model';
import type { TimedAction } from '$core/standin';
import { rehearsalRepository } from '../src/lib/server/repositories/rehearsals';
import { createApp } from '../src/lib/server/services/app';

/** A rehearsal of very many actions: forked, opened after a restart, moved; and how long others wait while a set of 5,000 comes up. */
const count = Number(process.env.ACTIONS ?? 100_000);
const data = mkdtempSync(join(tmpdir(), 'root-barn-long-'));
const worker = './build/worker/rehearsal-worker.js';
const map = (i: number): ApiObject =>
  ({ apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: `m${i % 200}`, namespace: 'default' }, data: { a: String(i) } }) as never;
const timed = async <T>(what: string, work: () => Promise<T>): Promise<T> => {
  const began = performance.now();
  const value = await work();
  console.log(`${what.padEnd(60)} ${((performance.now() - began) / 1_000).toFixed(2)} s`);
  return value;
};
const must = <T>(answer: { ok: true; value: T } | { ok: false; refusal: { detail: string } }): T => {
  if (!answer.ok) throw new Error(answer.refusal.detail);
  return answer.value;
};

let app = await createApp({ data, worker });
const { nowMs } = must(await app.rehearsals.state('south-quay'));
const store = rehearsalRepository(app.db);
const { actions } = await store.actions('south-quay');
await app.rehearsals.release('south-quay');
await store.remove('south-quay');
const many: TimedAction[] = Array.from({ length: count }, (_, i) => ({ atMs: nowMs + i, action: { type: 'send', objects: [map(i)] } }));
const lastMs = nowMs + count - 1;
await store.add(
  { id: 'south-quay', cluster: 'south-quay', fork: null, parent: null, forkedAtMs: null, headMs: lastMs, frontierMs: lastMs, revision: 1 },
  [...actions, ...many]
);
await timed(`first opening of ${count.toLocaleString('en')} actions, without a snapshot`, () => app.rehearsals.state('south-quay'));
await timed('saved and put to rest', () => app.rehearsals.rest(undefined, Date.now() + 86_400_000));
must(await timed('opened again', () => app.rehearsals.state('south-quay')));
must(await timed('forked at its head', () => app.rehearsals.fork('south-quay', 'one', undefined)));
must(await timed('one more action', () => app.rehearsals.send('south-quay', [map(1)])));
must(await timed('the clock 10 s on', () => app.rehearsals.move('south-quay', { untilMs: lastMs + 10_000 })));
must(await timed('looked back to the middle', () => app.rehearsals.move('south-quay', { untilMs: nowMs + count / 2 })));
must(await timed('the frame there', () => app.rehearsals.ask('south-quay', 'tape', {})));
must(await timed('the latest action back', () => app.rehearsals.undo('south-quay')));
await app.close();
app = await createApp({ data, worker });
must(await timed('opened after a restart', () => app.rehearsals.state('south-quay')));

const set = {
  apiVersion: 'apps/v1',
  kind: 'StatefulSet',
  metadata: { name: 'big', namespace: 'default' },
  spec: {
    replicas: 5_000,
    serviceName: 'big',
    podManagementPolicy: 'Parallel',
    selector: { matchLabels: { app: 'big' } },
    template: {
      metadata: { labels: { app: 'big' } },
      spec: {
        containers: [{ name: 'main', image: 'shelf.standin.example/tools/t:1', resources: { requests: { cpu: '1m', memory: '1Mi' } } }]
      }
    }
  }
} as never;
must(await app.rehearsals.send('north-quay', [set]));
const moving = app.rehearsals.move('north-quay', { until: 'settled' });
const waits: number[] = [];
const until = Date.now() + 20_000;
while (Date.now() < until) {
  const began = performance.now();
  must(await app.rehearsals.state('south-quay'));
  waits.push(performance.now() - began);
  await new Promise((done) => setTimeout(done, 5));
}
waits.sort((a, b) => a - b);
console.log(
  `while a set of 5,000 comes up others wait: median ${waits[waits.length >> 1]!.toFixed(0)} ms, longest of ${waits.length} ${waits.at(-1)!.toFixed(0)} ms`
);
void moving.catch(() => undefined);
rmSync(data, { recursive: true, force: true });
process.exit(0);
