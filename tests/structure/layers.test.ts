import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
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
    // The tree itself breaks none of them.
    const own = summary.violations.filter(({ from }) => ![...planted, partner].some(({ file }) => file === from));
    expect(own.map(({ rule, from }) => `${rule.name}: ${from}`)).toEqual([]);
    // No rule without a violation planted for it.
    expect(config.forbidden.map((one) => one.name).filter((name) => !planted.some((one) => one.rule === name))).toEqual([]);
  });

  test('the core may not use the wall clock, chance or a timer', () => {
    const copy = copyOf('.oxlintrc.json');
    const file = 'src/lib/core/shared/planted-lint.ts';
    const wrongLines = (...lines: string[]) => {
      mkdirSync(dirname(join(copy, file)), { recursive: true });
      writeFileSync(join(copy, file), `${lines.join('\n')}\n`);
      const { stdout } = spawnSync('npx', ['--no-install', 'oxlint', '--format', 'json', file], { cwd: copy, encoding: 'utf8' });
      const { diagnostics } = JSON.parse(stdout) as { diagnostics: { severity: string; labels: { span: { line: number } }[] }[] };
      return diagnostics.filter((one) => one.severity === 'error').map((one) => lines[one.labels[0]!.span.line - 1]);
    };
    const wrong = [
      'export const now = () => Date.now();',
      'export const luck = () => Math.random();',
      'export const later = () => setTimeout(() => {}, 1);'
    ];
    expect(wrongLines(...wrong).sort()).toEqual([...wrong].sort());
    // What it may use is not found fault with.
    expect(wrongLines('export const twice = (n: number): number => 2 * n;', 'export const of = (ms: number) => new Date(ms);')).toEqual([]);
    // The linter has no rule for the clock that a date takes when it is given no moment.
    const clockless = /new Date\b(?!\()|new Date\(\s*\)/;
    expect(['new Date();', 'new Date( )', 'new Date;', 'new Date(0)'].filter((one) => clockless.test(one))).toHaveLength(3);
    const texts = readdirSync(core, { recursive: true, encoding: 'utf8' }).filter((one) => one.endsWith('.ts'));
    expect(texts.filter((one) => clockless.test(readFileSync(join(core, one), 'utf8')))).toEqual([]);
  });

  test('no module of the core is there for what its loading does: the bundler leaves those out (vite.config.ts)', () => {
    const bare = (text: string) => [...text.matchAll(/^import '([^']+)';/gm)].map((one) => one[1]!);
    expect(bare("import 'a';\nimport { b } from 'b';\nimport './c';\n")).toEqual(['a', './c']);
    const texts = readdirSync(core, { recursive: true, encoding: 'utf8' }).filter((one) => one.endsWith('.ts'));
    expect(texts.flatMap((one) => bare(readFileSync(join(core, one), 'utf8'))).filter((one) => one.startsWith('.'))).toEqual([]);
  });
});
