// Writes docs/licences.md: every package that runs in production (outside the bundle, or bundled into it), with version and licence.
// Usage: node scripts/licences.mjs [--check]
import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const own = JSON.parse(readFileSync('package.json', 'utf8'));
const files = (folder) =>
  readdirSync(folder, { withFileTypes: true }).flatMap((one) =>
    one.isDirectory() ? files(join(folder, one.name)) : /\.(ts|svelte|css)$/.test(one.name) ? [join(folder, one.name)] : []
  );
const named = new Set(Object.keys(own.dependencies));
for (const file of files('src'))
  for (const [, name] of readFileSync(file, 'utf8').matchAll(
    /(?:from|import|@plugin|import\()\s*['"]((?:@[\w.-]+\/)?[\w.-]+)(?:\/[^'"]*)?['"]/g
  ))
    if (own.devDependencies[name]) named.add(name);

/** What a package needs, found as Node finds it. */
const found = new Map();
function walk(name, from) {
  let folder = from;
  for (;;) {
    const place = join(folder, 'node_modules', name);
    if (existsSync(join(place, 'package.json'))) {
      const { version, license, licenses, dependencies = {} } = JSON.parse(readFileSync(join(place, 'package.json'), 'utf8'));
      const key = `${name} ${version}`;
      if (found.has(key)) return;
      found.set(key, { name, version, licence: license?.type ?? license ?? licenses?.map((one) => one.type).join(' or ') ?? 'not said' });
      for (const next of Object.keys(dependencies)) walk(next, place);
      return;
    }
    if (folder === '.' || folder === '') return;
    folder = folder.includes('/node_modules/') ? folder.slice(0, folder.lastIndexOf('/node_modules/')) : '.';
  }
}
for (const name of named) walk(name, '.');
const rows = [...found.values()].sort((a, b) => a.name.localeCompare(b.name) || a.version.localeCompare(b.version));
const text = `# Licences

Packages that run in production, outside the bundle or bundled into it, with what they need. Made by \`node scripts/licences.mjs\`.

| Package | Version | Licence |
| --- | --- | --- |
${rows.map((one) => `| ${one.name} | ${one.version} | ${one.licence} |`).join('\n')}
`;
if (process.argv.includes('--check')) {
  if (readFileSync('docs/licences.md', 'utf8') !== text) {
    console.error('docs/licences.md is not what the packages say: node scripts/licences.mjs');
    process.exit(1);
  }
} else writeFileSync('docs/licences.md', text);
console.log(`${rows.length} packages`);
