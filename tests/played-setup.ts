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

/** Digests by the names of tests; undefined where a test draws by chance. */
interface Table {
  readonly engine: string;
  readonly tests: ReadonlyMap<string, string | undefined>;
}

/** Where something is broken on purpose, what is told of it counts, too: of the first two places of a test, or of all where they are small. */
const broken = /breaks|backups|estate|renewing|supply|obeys|edges|small-things|operated/;
const small = /rest\.test\.ts everything/;
const testNow = (): string => `${pathOf()} ${expect.getState().currentTestName ?? ''}`;

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

/** The file that runs, below tests/. */
const pathOf = (): string => {
  const { testPath = '' } = expect.getState();
  return testPath.slice(testPath.lastIndexOf('/tests/') + 7);
};
/** A table as lines of `digest name`, in front of them the engine; of what draws by chance the digest is `-`. */
const tableAt = (path: string): string => `${folder}${path.replace(/\.test\.ts$/, '.txt')}`;
function tableOf(at: string): Table | undefined {
  if (!existsSync(at)) return undefined;
  const [engine = '', ...lines] = readFileSync(at, 'utf8').trimEnd().split('\n');
  const tests = lines.map((line): [string, string | undefined] => [
    line.slice(line.indexOf(' ') + 1),
    /^- /.test(line) ? undefined : line.split(' ')[0]
  ]);
  return { engine: engine.replace('engine ', ''), tests: new Map(tests) };
}
const digests = new Map<string, string>();
const namesakes = new Map<string, number>();
let table: Table | undefined | null = null;

beforeEach(() => testBegins(small.test(testNow()) ? 280 : 14));

afterEach(() => {
  const { currentTestName = '' } = expect.getState();
  const path = pathOf();
  const digest = digestOfPlayed((facts, nth) => (small.test(testNow()) || (nth < 2 && broken.test(path)) ? toldOf(facts, 2) : []));
  if (digest === undefined || process.env.DEEP === '1' || path.startsWith('server/')) return;
  const times = (namesakes.get(currentTestName) ?? 0) + 1;
  namesakes.set(currentTestName, times);
  const name = times > 1 ? `${currentTestName} #${times}` : currentTestName;
  digests.set(name, digest);
  if (mode) return;
  if (table === null) table = tableOf(tableAt(path));
  expect(table?.tests.has(name), 'nothing is written down yet of what this test plays: npm run played').toBe(true);
  const before = table!.tests.get(name);
  if (before === undefined) return;
  expect(digest, `plays otherwise than engine ${table!.engine} did; if that is meant, raise engineVersion, then npm run played`).toBe(
    before
  );
});

afterAll(() => {
  if (!mode || !digests.size) return;
  const at = tableAt(pathOf());
  const before = tableOf(at);
  const lines = [...digests].map(([name, digest]) => `${mode === 'again' && before?.tests.get(name) !== digest ? '-' : digest} ${name}`);
  mkdirSync(dirname(at), { recursive: true });
  writeFileSync(at, `engine ${engineVersion}\n${lines.join('\n')}\n`);
});
