import { spawnSync } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { ESLint } from 'eslint';
import { afterAll, describe, expect, test } from 'vitest';

const planted = [
  {
    rule: 'core-model-looks-down-only',
    file: 'src/lib/core/model/planted.ts',
    text: "import { World } from '../standin';\nexport const planted = World;\n"
  },
  {
    rule: 'core-shared-looks-down-only',
    file: 'src/lib/core/shared/planted.ts',
    text: "import { refOf } from '../model';\nexport const planted = refOf;\n"
  },
  {
    rule: 'core-manifest-looks-down-only',
    file: 'src/lib/core/manifest/planted.ts',
    text: "import { changeSheet } from '../change';\nexport const planted = changeSheet;\n"
  },
  {
    rule: 'core-standin-looks-down-only',
    file: 'src/lib/core/standin/planted.ts',
    text: "import { rootLine } from '../rootline';\nexport const planted = rootLine;\n"
  },
  {
    rule: 'core-change-looks-down-only',
    file: 'src/lib/core/change/planted.ts',
    text: "import { prove } from '../proofs';\nexport const planted = prove;\n"
  },
  {
    rule: 'core-rootline-looks-down-only',
    file: 'src/lib/core/rootline/planted.ts',
    text: "import { prove } from '../proofs';\nexport const planted = prove;\n"
  },
  {
    rule: 'core-proofs-looks-down-only',
    file: 'src/lib/core/proofs/planted.ts',
    text: "import { trendOf } from '../sizing';\nexport const planted = trendOf;\n"
  },
  {
    rule: 'core-sizing-looks-down-only',
    file: 'src/lib/core/sizing/planted.ts',
    text: "import { rootLine } from '../rootline';\nexport const planted = rootLine;\n"
  },
  {
    rule: 'core-gates-looks-down-only',
    file: 'src/lib/core/gates/planted.ts',
    text: "import { designClass } from '../briefs';\nexport const planted = designClass;\n"
  },
  {
    rule: 'core-is-pure',
    file: 'src/lib/core/shared/planted-pure.ts',
    text: "import { readFileSync } from 'node:fs';\nexport const planted = readFileSync;\n"
  },
  {
    rule: 'core-folders-have-one-door',
    file: 'src/lib/server/planted-door.ts',
    text: "import { World } from '$core/standin/world';\nexport const planted = World;\n"
  },
  {
    rule: 'ui-never-reaches-the-server',
    file: 'src/lib/ui/planted.ts',
    text: "import { getApp } from '$server/services';\nexport const planted = getApp;\n"
  },
  {
    rule: 'routes-go-through-services',
    file: 'src/routes/planted.ts',
    text: "import { openDatabase } from '$server/db/connection';\nexport const planted = openDatabase;\n"
  },
  { rule: 'no-cycles', file: 'src/lib/ui/planted-a.ts', text: "import { b } from './planted-b';\nexport const a = (): unknown => b;\n" }
];
const partner = { file: 'src/lib/ui/planted-b.ts', text: "import { a } from './planted-a';\nexport const b = (): unknown => a;\n" };

afterAll(() => {
  for (const { file } of [...planted, partner]) rmSync(file, { force: true });
});

describe('the layers', () => {
  test('each rule finds the violation that is planted for it', () => {
    for (const { file, text } of [...planted, partner]) {
      mkdirSync(dirname(file), { recursive: true });
      writeFileSync(file, text);
    }
    const run = ['--no-install', 'depcruise', '--config', '.dependency-cruiser.cjs', '--output-type', 'json', 'src/lib', 'src/routes'];
    const { stdout } = spawnSync('npx', run, { encoding: 'utf8', maxBuffer: 2 ** 28 });
    const { summary } = JSON.parse(stdout) as { summary: { violations: { rule: { name: string }; from: string }[] } };
    for (const { rule, file } of planted) {
      expect(
        summary.violations.some((one) => one.rule.name === rule && one.from === file),
        `${rule} for ${file}`
      ).toBe(true);
    }
  });

  test.each([
    ['the wall clock', 'export const now = () => Date.now();'],
    ['the wall clock, in another way', 'export const now = () => new Date();'],
    ['chance', 'export const luck = () => Math.random();'],
    ['a timer', 'export const later = () => setTimeout(() => {}, 1);']
  ])('the core may not use %s', async (_, code) => {
    const [result] = await new ESLint().lintText(`${code}\n`, { filePath: 'src/lib/core/shared/planted-lint.ts' });
    expect(result!.errorCount).toBeGreaterThan(0);
  });
});
