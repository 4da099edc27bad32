import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { ESLint } from 'eslint';
import { describe, expect, test } from 'vitest';
import { copyOf } from './copy';

interface Rule {
  readonly name: string;
  readonly from: { readonly path?: string };
}
const required = createRequire(import.meta.url);
const config = required('../../.dependency-cruiser.cjs') as { forbidden: readonly Rule[] };
const folders = required('../../.dependency-layers.cjs') as Readonly<
  Record<'layers' | 'standinLayers', Readonly<Record<string, readonly string[]>>>
>;

interface Planted {
  readonly rule: string;
  readonly file: string;
  readonly text: string;
}
const core = 'src/lib/core';
const looksAt = (target: string) => `import * as there from '${target}';\nexport const planted = there;\n`;

/** For each folder of the core, a file that looks at a folder which it may not look at. */
const layers = Object.entries(folders.layers).flatMap(([folder, below]): Planted[] => {
  const above = Object.keys(folders.layers).find((one) => one !== folder && !below.includes(one));
  return above === undefined || !config.forbidden.some((one) => one.name === `core-${folder}-looks-down-only`)
    ? []
    : [{ rule: `core-${folder}-looks-down-only`, file: `${core}/${folder}/planted.ts`, text: looksAt(`../${above}`) }];
});
const standin = Object.entries(folders.standinLayers).map(([folder, below]): Planted => {
  const above = [...Object.keys(folders.standinLayers), 'control'].find((one) => one !== folder && !below.includes(one))!;
  const target = { control: 'control', store: 'store', cards: 'cards/engines', clock: 'clock/steps', provider: 'provider/images' }[above];
  return {
    rule: `standin-${folder}-looks-down-only`,
    file: `${core}/standin/${folder}/planted.ts`,
    text: looksAt(`../${target ?? `${above}/${above === 'admit' ? 'plan' : 'registry'}`}`)
  };
});
const others: readonly Planted[] = [
  {
    rule: 'core-is-pure',
    file: `${core}/shared/planted-pure.ts`,
    text: "import { readFileSync } from 'node:fs';\nexport const planted = readFileSync;\n"
  },
  { rule: 'core-folders-have-one-door', file: 'src/lib/server/planted-door.ts', text: looksAt('$core/standin/world') },
  { rule: 'ui-never-reaches-the-server', file: 'src/lib/ui/planted.ts', text: looksAt('$server/services') },
  { rule: 'routes-go-through-services', file: 'src/routes/planted.ts', text: looksAt('$server/db/connection') },
  { rule: 'no-cycles', file: 'src/lib/ui/planted-a.ts', text: "import { b } from './planted-b';\nexport const a = (): unknown => b;\n" }
];
const partner = { file: 'src/lib/ui/planted-b.ts', text: "import { a } from './planted-a';\nexport const b = (): unknown => a;\n" };

const copy = copyOf('src', '.dependency-cruiser.cjs', '.dependency-cruiser-aliases.cjs', '.dependency-layers.cjs');

describe('the layers', () => {
  test('every rule finds the violation that is planted for it, in a copy', () => {
    const planted = [...layers, ...standin, ...others];
    for (const { file, text } of [...planted, partner]) {
      mkdirSync(dirname(join(copy, file)), { recursive: true });
      writeFileSync(join(copy, file), text);
    }
    const run = ['--no-install', 'depcruise', '--config', '.dependency-cruiser.cjs', '--output-type', 'json', 'src/lib', 'src/routes'];
    const { stdout } = spawnSync('npx', run, { cwd: copy, encoding: 'utf8', maxBuffer: 2 ** 28 });
    const { summary } = JSON.parse(stdout) as { summary: { violations: { rule: { name: string }; from: string }[] } };
    const found = (rule: string, file: string) => summary.violations.some((one) => one.rule.name === rule && one.from === file);
    expect(planted.filter(({ rule, file }) => !found(rule, file))).toEqual([]);
    // No rule without a violation planted for it.
    expect(config.forbidden.map((one) => one.name).filter((name) => !planted.some((one) => one.rule === name))).toEqual([]);
  });

  test('the core may not use the wall clock, chance or a timer', async () => {
    const lines = [
      'export const now = () => Date.now();',
      'export const then = () => new Date();',
      'export const luck = () => Math.random();',
      'export const later = () => setTimeout(() => {}, 1);'
    ];
    const [result] = await new ESLint().lintText(`${lines.join('\n')}\n`, { filePath: 'src/lib/core/shared/planted-lint.ts' });
    const wrong = new Set(result!.messages.filter((one) => one.severity === 2).map((one) => one.line));
    expect(lines.filter((_, i) => !wrong.has(i + 1))).toEqual([]);
    // What it may use is not found fault with.
    const [fine] = await new ESLint().lintText('export const twice = (n: number): number => 2 * n;\n', {
      filePath: 'src/lib/core/shared/planted-lint.ts'
    });
    expect(fine!.messages).toEqual([]);
  });
});
