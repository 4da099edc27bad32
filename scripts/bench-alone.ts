// The parser alone on a file, and for JSON the validation by the kinds' schemas too: what bench-dumps.mjs compares the reading with.
import { readFileSync } from 'node:fs';
import { CORE_SCHEMA, loadAll } from 'js-yaml';
import { kindEntry } from '../src/lib/core/model';

const [kind, path] = process.argv.slice(2) as ['yaml' | 'json', string];
const text = readFileSync(path, 'utf8');
const from = performance.now();
let count = 0;
if (kind === 'yaml') count = loadAll(text, { schema: CORE_SCHEMA }).length;
else
  for (const one of (JSON.parse(text) as { items: { kind: string }[] }).items)
    if (kindEntry(one.kind)?.schema.safeParse(one).success) count += 1;
console.log(performance.now() - from, count);
