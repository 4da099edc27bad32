// npm run check -- [--against CLUSTER] [--format text|json|sarif] [--fail error|warning|note|never] FILES: what the checker says of manifests,
// without a server. Ends with 0 where nothing is as grave as --fail says, with 1 where something is, with 2 where it can't be told.
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { isAbsolute, join, relative, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { check, sarifOf, type Finding } from '../src/lib/core/checker';
import { keepValue, parseJsonText, parseYamlCut, spreadOut } from '../src/lib/core/dumps';
import { refOf } from '../src/lib/core/model';
import { plural } from '../src/lib/core/shared';
import { Store } from '../src/lib/core/standin';

const levels = ['error', 'warning', 'note', 'never'] as const;
const usage = 'npm run check -- [--against CLUSTER.json] [--format text|json|sarif] [--fail error|warning|note|never] FILES or FOLDERS';
const from = process.env.CALLED_FROM ?? process.cwd();
const at = (path: string) => (isAbsolute(path) ? path : resolve(from, path));

class Unusable extends Error {}

function found(path: string): string[] {
  let stat;
  try {
    stat = statSync(at(path));
  } catch {
    throw new Unusable(`${path}: there is no such file or folder.`);
  }
  if (!stat.isDirectory()) return [at(path)];
  return readdirSync(at(path), { recursive: true, encoding: 'utf8' })
    .filter((one) => /\.(ya?ml|json)$/i.test(one) && !one.split('/').includes('node_modules'))
    .map((one) => join(at(path), one))
    .filter((one) => statSync(one).isFile())
    .sort();
}

/** A cluster as it was taken out: a list of its objects, in JSON or YAML. */
function clusterIn(path: string): Store {
  let text: string;
  try {
    text = readFileSync(at(path), 'utf8');
  } catch {
    throw new Unusable(`${path}: it can't be read.`);
  }
  const { values, problems } = /^\s*[[{]/.test(text) ? parseJsonText(text, path) : parseYamlCut({ text, linesBefore: 0 }, path);
  if (!values.length) throw new Unusable(`${path}: ${problems[0]?.message ?? 'it holds no objects.'}`);
  const store = new Store(false);
  let count = 0;
  for (const value of spreadOut(values)) {
    const kept = keepValue(value, false);
    if (!('object' in kept)) continue;
    store.place(store.find(refOf(kept.object)), kept.object);
    count += 1;
  }
  if (!count) throw new Unusable(`${path}: it holds no objects of kinds that are known.`);
  return store;
}

const place = ({ at: { file, line, column } }: Finding) => `${file ?? ''}:${line ?? 1}:${column ?? 1}`;

function asText(list: readonly Finding[]): string {
  const standing = list.filter((one) => !one.accepted);
  const lines = standing.map((one) => `${place(one)} ${one.severity} ${one.code}: ${one.message} ${one.remedy}`.trimEnd());
  for (const one of list)
    if (one.accepted)
      lines.push(`${place(one)} accepted ${one.code}: ${one.accepted.reason}${one.accepted.until ? ` (until ${one.accepted.until})` : ''}`);
  const count = (severity: Finding['severity']) => standing.filter((one) => one.severity === severity).length;
  return [
    ...lines,
    `${(['error', 'warning', 'note'] as const).map((one) => plural(count(one), one)).join(', ')}, ${list.length - standing.length} accepted`
  ].join('\n');
}

function run(): number {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      against: { type: 'string' },
      format: { type: 'string', default: 'text' },
      fail: { type: 'string', default: 'error' }
    }
  });
  if (!['text', 'json', 'sarif'].includes(values.format)) throw new Unusable(`--format ${values.format} is none of text, json, sarif.`);
  const least = levels.indexOf(values.fail as (typeof levels)[number]);
  if (least < 0) throw new Unusable(`--fail ${values.fail} is none of ${levels.join(', ')}.`);
  const paths = positionals.flatMap(found);
  if (!paths.length) throw new Unusable(positionals.length ? 'There are no manifests (.yaml, .yml, .json) there.' : usage);
  const files = paths.map((path) => ({ name: relative(from, path), text: readFileSync(path, 'utf8') }));
  const target = values.against === undefined ? undefined : clusterIn(values.against);
  const list = check(files, target, new Date().toISOString().slice(0, 10));
  const said =
    values.format === 'text' ? asText(list) : JSON.stringify(values.format === 'sarif' ? sarifOf(list) : { findings: list }, null, 2);
  process.stdout.write(`${said}\n`);
  const grave = list.some((one) => !one.accepted && levels.indexOf(one.severity) <= least && values.fail !== 'never');
  return grave ? 1 : 0;
}

try {
  process.exitCode = run();
} catch (error) {
  process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n`);
  if (!(error instanceof Unusable)) process.stderr.write(`${usage}\n`);
  process.exitCode = 2;
}
