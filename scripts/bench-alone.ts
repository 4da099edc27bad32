// A parser alone on a file (js-yaml, which dumps are read with, or yaml, which drafts are read with), and for JSON the validation by the kinds' schemas too: what bench-dumps.mjs compares the reading with.
import { readFileSync } from 'node:fs';
import { CORE_SCHEMA, loadAll } from 'js-yaml';
import { parseAllDocuments, type Document } from 'yaml';
import { kindEntry } from '../src/lib/core/model';

const [kind, path] = process.argv.slice(2) as ['yaml' | 'careful' | 'json', string];
const whole = readFileSync(path, 'utf8');
/** The careful parser is measured on a tenth: it would take a minute, and gigabytes, for all of it. */
const share = kind === 'careful' ? 10 : 1;
const text = share === 1 ? whole : whole.slice(0, whole.lastIndexOf('\n---\n', whole.length / share) + 1);
const from = performance.now();
let count = 0;
if (kind === 'yaml') count = loadAll(text, { schema: CORE_SCHEMA }).length;
else if (kind === 'careful') count = (parseAllDocuments(text) as Document[]).map((one) => one.toJS() as unknown).length;
else
  for (const one of (JSON.parse(text) as { items: { kind: string }[] }).items)
    if (kindEntry(one.kind)?.schema.safeParse(one).success) count += 1;
console.log(((performance.now() - from) * whole.length) / text.length, count);
