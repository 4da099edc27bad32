import { endpoints, type Endpoint } from '$server/api/endpoints';
import { neededFor } from '$server/api/endpoint';
import { examples, type Example } from '$server/api/examples';
import { openapi } from '$server/api/openapi';
import type { Api } from '$server/api/types';

type Schema = Record<string, unknown>;

const mostText = 56;
/** What differs from one run to the next. */
const drawn = /^(token|hash|file|reading|check|loadedAt|bytes|sha256|madeBy|peer)$|Ms$/;
const moment = /^\d{4}-\d\d-\d\dT[\d:.]+Z$/;

/** The beginning of an answer: lists by their first item, texts by their first words, nothing that differs from one run to the next. */
function excerpt(value: unknown, key = '', depth = 0): unknown {
  // How large a file is depends on how often a world was saved meanwhile, and that on the clock on the wall.
  if (key === 'bytes' && typeof value === 'number') return '…';
  if (Array.isArray(value)) return value.length ? [excerpt(value[0], '', depth + 1), ...(value.length > 1 ? ['…'] : [])] : [];
  if (typeof value === 'object' && value !== null) {
    const fields = Object.entries(value);
    if (depth > 3) return fields.length ? '{…}' : {};
    return Object.fromEntries(fields.map(([name, inner]) => [name, excerpt(inner, name, depth + 1)]));
  }
  if (typeof value === 'string') {
    if (drawn.test(key) || moment.test(value) || /^[0-9a-f-]{36}$|^c[0-9a-z]{8}-\d+$/.test(value)) return '…';
    return value.length > mostText ? `${value.slice(0, mostText)}…` : value;
  }
  return typeof value === 'number' && drawn.test(key) && value > 1e9 ? 0 : value;
}

const mostLines = 24;
function shown(value: unknown): string {
  const lines = JSON.stringify(excerpt(value), null, 1)
    .replace(/\n\s*(?=[}\]])/g, ' ')
    .split('\n');
  return [...lines.slice(0, mostLines), ...(lines.length > mostLines ? ['…'] : [])].join('\n');
}

const cell = (text: string) => text.replaceAll('|', '\\|').replaceAll('\n', ' ');

/** A type in few words. */
function words(schema: Schema): string {
  if (typeof schema.$ref === 'string') return schema.$ref.split('/').at(-1)!;
  if (Array.isArray(schema.enum)) return schema.enum.map((one) => `\`${String(one)}\``).join(' or ');
  if (Array.isArray(schema.anyOf)) return schema.anyOf.map((one) => words(one as Schema)).join(' or ');
  if (schema.type === 'array') return `list of ${words((schema.items ?? {}) as Schema)}`;
  return typeof schema.type === 'string' ? schema.type : 'any';
}

interface Described {
  readonly parameters: readonly { name: string; in: string; required: boolean; schema: Schema }[];
  readonly requestBody?: { readonly content: Record<string, { schema: Schema }> };
}

function tableOf(one: Endpoint, described: Described): string[] {
  const rows = described.parameters.map(({ name, in: place, required, schema }) => [
    name,
    place,
    `${words(schema)}${required ? '' : ', optional'}`,
    (schema.description as string | undefined) ?? ''
  ]);
  const body = described.requestBody?.content['application/json']?.schema;
  if (body?.properties && typeof one.body === 'object')
    for (const [name, schema] of Object.entries(body.properties as Record<string, Schema>))
      rows.push([
        name,
        'body',
        `${words(schema)}${(body.required as string[] | undefined)?.includes(name) ? '' : ', optional'}`,
        (schema.description as string | undefined) ?? ''
      ]);
  if (!rows.length) return [];
  return ['| name | in | type | meaning |', '| --- | --- | --- | --- |', ...rows.map((row) => `| ${row.map(cell).join(' | ')} |`), ''];
}

/** What was done before a call, in a sentence. */
function before({ laid }: Example<keyof Api>): string[] {
  if (!laid) return [];
  const { rehearsal, blueprint, answers } = laid;
  const said = Object.entries(answers).map(([name, value]) => `${name} ${value}`);
  return [`Before it the manifests of the blueprint \`${blueprint}\` were sent to \`${rehearsal}\`: ${said.join(', ')}.`, ''];
}

function requestOf({ method, path }: Endpoint, { params, query, body, given }: Example<keyof Api>): string {
  const filled = path.replace(/\{(\w+)\}/g, (whole, name: string) => params?.[name] ?? whole);
  const asked = query
    ? `?${new URLSearchParams(Object.entries(query).map(([name, value]): [string, string] => [name, String(value)]))}`
    : '';
  const text = typeof body === 'string' ? body.trimEnd() : body === undefined ? '' : JSON.stringify(body, null, 1);
  const from = given === undefined || text || method !== 'POST' ? '' : `(what ${given} gave)`;
  return [`${method} /api/v1${filled}${asked}`, text || from].filter(Boolean).join('\n\n');
}

/** docs/api.md: every call of the programs' interface with an example, and what it answered on the demo. */
export function apiDoc(answers: ReadonlyMap<string, unknown>): string {
  const { paths } = openapi();
  const lines = [
    "# The programs' interface",
    '',
    'Made by `npm run api` from the endpoints themselves; `/api/v1/openapi.json` says the same in full (OpenAPI 3.0.3), with a named schema for every answer. The examples were made on the demo, one after the other; long lists and texts are cut short, and what differs from one run to the next is left out (`…`).',
    '',
    'Times are virtual milliseconds since T+0. Refusals are problem details (RFC 9457). What changes a rehearsal or a draft may name the revision that was seen, as `If-Match: "12"`. Where people sign in, programs send `Authorization: Bearer <token>`.',
    ''
  ];
  for (const one of endpoints as readonly Endpoint[]) {
    const key = `${one.method} ${one.path}` as keyof Api;
    const needed = neededFor(one);
    lines.push(
      `## ${one.method} ${one.path}`,
      '',
      `${one.summary}. ${needed === 'open' ? 'Open to everybody' : `Takes the role ${needed}`}; answers \`${one.answer}\`${one.status ? ` with ${one.status}` : ''}.`,
      '',
      ...tableOf(one, paths[`/api/v1${one.path}`]![one.method.toLowerCase()] as Described),
      ...before(examples[key]),
      '```http',
      requestOf(one, examples[key]),
      '```',
      ''
    );
    if (answers.has(key)) lines.push('```json', shown(answers.get(key)), '```', '');
  }
  return `${lines.join('\n').trimEnd()}\n`;
}
