/*
 * What was played comes out as it did: a kept rehearsal is replayed from its actions, so the same actions must lead to the same journal
 * until engineVersion is raised. Of each test here that plays something (whatever else it looks at) a digest of the worlds and benches that
 * it made is held against the one written down in fixtures/played/. `npm run played` writes them anew; do that only on purpose.
 */
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, afterEach, beforeEach, expect } from 'vitest';
import { engineVersion, World } from '$core/standin';
import { digestOfPlayed, playedWorld, testBegins } from './played';
import { toldOf } from './told';

/** 'write' makes the tables, 'again' takes those out of them that come out otherwise a second time: what draws by chance. */
const mode = process.env.PLAYED;
const folder = fileURLToPath(new URL('fixtures/played/', import.meta.url));

interface Table {
  readonly engine: string;
  readonly tests: { [name: string]: string | null };
}

/** Where something is broken on purpose, what is told of it counts, too. */
const broken = /breaks|backups|estate|renewing|supply|obeys|edges|small-things|operated/;

// Modules are loaded once for many files; this one is run for each of them.
const marked = World as unknown as { counted?: true };
if (!marked.counted) {
  marked.counted = true;
  const { create, restoreSteps } = World;
  const count = (world: World): World => {
    playedWorld(world);
    return world;
  };
  World.create = (origin) => count(create.call(World, origin));
  World.restoreSteps = function* (...given) {
    return count(yield* restoreSteps.apply(World, given));
  };
}

const tableAt = (path: string): string => `${folder}${path.slice(path.lastIndexOf('/tests/') + 7).replace(/\.test\.ts$/, '.json')}`;
const tableOf = (at: string): Table | undefined => (existsSync(at) ? (JSON.parse(readFileSync(at, 'utf8')) as Table) : undefined);
const digests = new Map<string, string>();
const namesakes = new Map<string, number>();
let table: Table | undefined | null = null;

beforeEach(testBegins);

afterEach(() => {
  const { currentTestName = '', testPath = '' } = expect.getState();
  const path = testPath.slice(testPath.lastIndexOf('/tests/') + 7);
  const digest = digestOfPlayed((facts) => (broken.test(path) ? toldOf(facts, 2) : []));
  if (digest === undefined || process.env.DEEP === '1' || path.startsWith('server/')) return;
  const times = (namesakes.get(currentTestName) ?? 0) + 1;
  namesakes.set(currentTestName, times);
  const name = times > 1 ? `${currentTestName} #${times}` : currentTestName;
  digests.set(name, digest);
  if (mode) return;
  if (table === null) table = tableOf(tableAt(testPath));
  const before = table?.tests[name];
  if (before === null) return;
  expect(before, 'nothing is written down yet of what this test plays: npm run played').toBeDefined();
  expect(digest, `plays otherwise than engine ${table!.engine} did; if that is meant, raise engineVersion, then npm run played`).toBe(
    before
  );
});

afterAll(() => {
  if (!mode || !digests.size) return;
  const at = tableAt(expect.getState().testPath ?? '');
  const before = tableOf(at);
  const tests = Object.fromEntries(
    [...digests].map(([name, digest]) => [name, mode === 'again' && before?.tests[name] !== digest ? null : digest])
  );
  mkdirSync(dirname(at), { recursive: true });
  writeFileSync(at, `${JSON.stringify({ engine: engineVersion, tests } satisfies Table, null, 2)}\n`);
});
