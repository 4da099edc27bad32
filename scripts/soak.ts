import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import Sqlite from 'better-sqlite3';
import fc from 'fast-check';
import { oddRequests } from '../tests/server/fuzz';
import { ownServer, type OwnServer } from './own-server.mjs';

/** Kills a server again and again while it is written to, and asks it odd things: nothing answered may be lost, nothing may fail. */
const { values } = parseArgs({
  options: {
    kills: { type: 'string', default: '1000' },
    minutes: { type: 'string', default: '20' },
    requests: { type: 'string', default: '10000' },
    seed: { type: 'string', default: '13' }
  }
});
const [mostKills, mostMs, requests, seed] = [
  Number(values.kills),
  Number(values.minutes) * 60_000,
  Number(values.requests),
  Number(values.seed)
];
const map = (name: string) => `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: ${name}, namespace: default}\ndata: {a: "${name}"}\n`;
const json = { 'content-type': 'application/json' };
type Answer = Record<string, unknown> & { items?: Record<string, unknown>[] };

async function ask(
  server: OwnServer,
  method: string,
  path: string,
  body?: string | Uint8Array<ArrayBuffer>
): Promise<{ status: number; body: Answer }> {
  const answer = await fetch(`${server.base}/api/v1${path}`, { method, headers: json, ...(body === undefined ? {} : { body }) });
  return { status: answer.status, body: (await answer.json()) as Answer };
}

interface Kept {
  sent: Set<string>;
  drafts: Map<number, string>;
  forks: Set<string>;
  dumps: Set<string>;
  answered: number;
  refused: Map<string, number>;
}

async function lane(server: OwnServer, which: number, round: number, kept: Kept): Promise<void> {
  for (let i = 0; ; i += 1) {
    const name = `k${round}-${which}-${i}`;
    const did = async (method: string, path: string, body?: string) => {
      const answer = await ask(server, method, path, body);
      kept.answered += 1;
      if (answer.status >= 500)
        kept.refused.set(
          `${answer.status} ${method} ${path.replace(/k\d+.*/, '')}`,
          1 + (kept.refused.get(`${answer.status} ${method} ${path}`) ?? 0)
        );
      return answer;
    };
    if (which === 0) {
      if ((await did('POST', '/rehearsals/south-quay/send', map(name))).status === 200) kept.sent.add(name);
      if (i % 5 === 4) await did('POST', '/rehearsals/south-quay/clock', '{"step":1}');
    } else if (which === 1) await did('POST', '/rehearsals/north-quay/clock', i % 2 ? '{"until":"settled"}' : '{"run":60}');
    else if (which === 2) {
      const made = await did('POST', '/clusters/south-quay/drafts', JSON.stringify({ name, text: map(name) }));
      if (made.status === 201) {
        const id = made.body.id as number;
        kept.drafts.set(id, map(name));
        const next = `${map(name)}# ${i}\n`;
        // What was asked and not answered may or may not be there.
        kept.drafts.delete(id);
        const put = await did('PUT', `/drafts/${id}`, JSON.stringify({ text: next }));
        if (put.status === 200) kept.drafts.set(id, next);
      }
    } else if (which === 3) {
      const fork = await did('POST', '/rehearsals/south-quay/forks', JSON.stringify({ name }));
      if (fork.status === 201) kept.forks.add(`south-quay~${name}`);
      const old = [...kept.forks][0];
      if (kept.forks.size > 6 && old) {
        kept.forks.delete(old);
        await did('DELETE', `/rehearsals/${old}`);
      }
    } else {
      const read = await did('POST', `/clusters?name=dump-${which}`, map(name));
      if (read.status === 201) kept.dumps.add(`dump-${which}`);
      if (i % 4 === 3) await did('POST', '/backups', '');
    }
  }
}

async function kills(): Promise<void> {
  const data = mkdtempSync(join(tmpdir(), 'root-barn-soak-'));
  const kept: Kept = { sent: new Set(), drafts: new Map(), forks: new Set(), dumps: new Set(), answered: 0, refused: new Map() };
  const until = Date.now() + mostMs;
  let round = 0;
  let lost = 0;
  const random = fc.sample(fc.nat(700), { numRuns: mostKills, seed });
  const look = async (server: OwnServer) => {
    const there = new Set(
      (await ask(server, 'GET', '/rehearsals/south-quay/objects?kind=ConfigMap')).body.items!.map(
        (one) => (one.metadata as { name: string }).name
      )
    );
    const rehearsals = new Set((await ask(server, 'GET', '/rehearsals')).body.items!.map((one) => one.id as string));
    const missing = [
      ...[...kept.sent].filter((one) => !there.has(one)),
      ...[...kept.forks].filter((one) => !rehearsals.has(one)),
      ...[...kept.dumps].filter((one) => !rehearsals.has(one))
    ];
    for (const [id, text] of [...kept.drafts].slice(-40)) {
      const draft = (await ask(server, 'GET', `/drafts/${id}`)).body as { files?: { text: string }[] };
      if (draft.files?.[0]?.text !== text) missing.push(`draft ${id}`);
    }
    if (missing.length) console.error('LOST', missing.slice(0, 10));
    lost += missing.length;
  };
  while (round < mostKills && Date.now() < until) {
    const server = await ownServer({ data, quiet: true });
    if (round % 20 === 0) await look(server);
    const lanes = [0, 1, 2, 3, 4].map((which) => lane(server, which, round, kept).catch(() => undefined));
    await new Promise((done) => setTimeout(done, 60 + random[round]!));
    server.kill();
    await Promise.all([...lanes, server.ended]);
    round += 1;
    if (round % 50 === 0) console.log(`${round} kills, ${kept.answered} answers, ${lost} lost`);
  }
  const last = await ownServer({ data, quiet: true });
  await look(last);
  await last.stop();
  const db = new Sqlite(join(data, 'root-barn.sqlite'), { readonly: true });
  const integrity = (db.pragma('integrity_check') as { integrity_check: string }[]).map((one) => one.integrity_check).join();
  db.close();
  rmSync(data, { recursive: true, force: true });
  console.log(
    `kills: ${round}; answered: ${kept.answered}; lost: ${lost}; integrity: ${integrity}; 5xx: ${JSON.stringify([...kept.refused])}`
  );
  if (lost || integrity !== 'ok' || kept.refused.size) process.exitCode = 1;
}

const rssOf = (pid: number): number => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) * 1024;

async function fuzz(): Promise<void> {
  const server = await ownServer({ quiet: true });
  const description = (await ask(server, 'GET', '/openapi.json')).body;
  await fetch(server.base);
  let before = 0;
  let nth = 0;
  const failures: string[] = [];
  const statuses = new Map<number, number>();
  let slowest = 0;
  for (const { method, path, headers, body } of fc.sample(oddRequests(description as never, /^NOTHING$/), { numRuns: requests, seed })) {
    // Once all parts have been loaded and worlds stand.
    if ((nth += 1) === Math.floor(requests / 5)) before = rssOf(server.pid!);
    const began = Date.now();
    const answer = await fetch(`${server.base}${path}`, {
      method,
      headers,
      ...(method === 'GET' || body === undefined ? {} : { body }),
      signal: AbortSignal.timeout(60_000)
    });
    await answer.arrayBuffer();
    const ms = Date.now() - began;
    slowest = Math.max(slowest, ms);
    statuses.set(answer.status, (statuses.get(answer.status) ?? 0) + 1);
    if (answer.status >= 500 || ms > 2_000) failures.push(`${answer.status} in ${ms} ms: ${method} ${path} ${body ?? ''}`.slice(0, 300));
  }
  await new Promise((done) => setTimeout(done, 15_000));
  const grown = rssOf(server.pid!) - before;
  server.end();
  console.log(
    `requests: ${requests}; ${JSON.stringify([...statuses].sort())}; slowest ${slowest} ms; memory ${(grown / 2 ** 20).toFixed(0)} MiB more; failures: ${failures.length}`
  );
  for (const one of failures.slice(0, 20)) console.error(one);
  if (failures.length) process.exitCode = 1;
}

if (requests) await fuzz();
if (mostKills) await kills();
