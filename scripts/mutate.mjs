// npm run mutate [-- --lines 90 --seed 1 --folder standin]: plants small faults in lines of the core that a seed chooses, one after the other,
// and tells how many the core's tests catch. Texts aren't altered: their words have tests of their own. Takes a while: about half an hour.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { Stryker } from '@stryker-mutator/core';

const { values } = parseArgs({
  options: {
    lines: { type: 'string', default: '90' },
    seed: { type: 'string', default: '1' },
    folder: { type: 'string', default: '' },
    // Lines to try again instead of those that a seed draws: file:line,file:line
    at: { type: 'string', default: '' },
    out: { type: 'string', default: 'build/mutants.json' }
  }
});
// Fewer seeds of storms: what they catch they catch early.
process.env.STORMS ??= '30';
process.env.REST_RUNS ??= '300';

// Without what it makes no test is found, and that is all that is said.
execFileSync('npx', ['--no-install', 'svelte-kit', 'sync'], { stdio: 'inherit' });

const root = join('src/lib/core', values.folder);
const generated = /api-fields\.ts$/;
const files = readdirSync(root, { recursive: true, encoding: 'utf8' })
  .filter((one) => one.endsWith('.ts') && !one.endsWith('.d.ts') && !generated.test(one))
  .map((one) => join(root, one))
  .sort();
// Lines on which something is decided or computed; not imports, comments, types, texts alone.
const plain = /^\s*($|\/\/|\/\*|\*|import |export \*|export type|export \{|readonly |type |interface |[}\])];?,?$|['"`][^'"`]*['"`],?$)/;
const lines = files.flatMap((file) =>
  readFileSync(file, 'utf8')
    .split('\n')
    .flatMap((text, i) => (plain.test(text) || !/[-+*/<>=!&|?]|return|true|false|\(/.test(text) ? [] : [{ file, line: i + 1 }]))
);
const drawn = lines
  .map((one) => ({ one, by: createHash('sha256').update(`${values.seed} ${one.file} ${one.line}`).digest('hex') }))
  .sort((a, b) => (a.by < b.by ? -1 : 1))
  .slice(0, Number(values.lines))
  .map(({ one }) => one);

const results = await new Stryker({
  mutate: values.at
    ? values.at.split(',').map((one) => `${one}-${one.split(':')[1]}`)
    : drawn.map(({ file, line }) => `${file}:${line}-${line}`),
  mutator: { excludedMutations: ['StringLiteral', 'ObjectLiteral'] },
  testRunner: 'vitest',
  // What the compiler refuses never gets past `npm test`: it is counted apart, and no test has to see it.
  checkers: ['typescript'],
  tsconfigFile: 'tsconfig.core.json',
  plugins: [
    '@stryker-mutator/vitest-runner',
    '@stryker-mutator/typescript-checker',
    fileURLToPath(new URL('mutate-reporter.mjs', import.meta.url))
  ],
  vitest: { configFile: 'vitest.mutate.config.ts', related: false },
  ignorePatterns: ['build', 'test-results', '.root-barn', 'data'],
  buildCommand: 'npx --no-install svelte-kit sync',
  // What is computed once when a module is loaded would need every test run anew for each fault.
  ignoreStatic: true,
  // Half of them run tests, the other half compile, and are soon through.
  concurrency: 4,
  timeoutMS: 60_000,
  timeoutFactor: 3,
  dryRunTimeoutMinutes: 20,
  reporters: ['lines'],
  allowConsoleColors: false,
  disableTypeChecks: false,
  tempDirName: '.root-barn/mutate'
}).runMutationTest();

const caught = results.filter((one) => one.status === 'Killed' || one.status === 'Timeout');
const survived = results.filter((one) => one.status === 'Survived' || one.status === 'NoCoverage');
const rows = survived.map(({ fileName, location, mutatorName, replacement, status }) => ({
  at: `${fileName.slice(fileName.indexOf('src/lib/core'))}:${location.start.line}`,
  mutatorName,
  replacement,
  status
}));
writeFileSync(values.out, JSON.stringify({ seed: values.seed, lines: values.lines, caught: caught.length, survived: rows }, null, 2));
for (const one of rows) console.log(`${one.at} ${one.mutatorName} -> ${one.replacement} (${one.status})`);
const refused = results.filter((one) => one.status === 'CompileError').length;
const all = caught.length + survived.length;
console.log(
  `${caught.length} of ${all} caught, ${((100 * caught.length) / Math.max(1, all)).toFixed(1)} % (seed ${values.seed}), beside ${refused} that the compiler refuses; the rest stands in ${values.out}`
);
