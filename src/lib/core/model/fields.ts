import { apiFields } from './api-fields';
import { kindEntries, kindEntry } from './kinds';

/** A row of fields, each with its type as {@link apiFields} writes types. */
export type FieldRow = Readonly<Record<string, string>>;

interface Def {
  readonly type: string;
  readonly shape?: Record<string, { _zod: { def: Def } }>;
  readonly innerType?: { _zod: { def: Def } };
  readonly element?: { _zod: { def: Def } };
  readonly valueType?: { _zod: { def: Def } };
  readonly options?: readonly { _zod: { def: Def } }[];
  readonly entries?: Record<string, string>;
}

/** The published fields of a kind, or of a part of one; undefined for what isn't published. */
export const publishedRow = (name: string): FieldRow | undefined => (Object.hasOwn(apiFields, name) ? apiFields[name] : undefined);

const rows = new Map<string, FieldRow>(Object.entries(apiFields));

/** Reads a schema of ours into rows, for kinds that the published types don't have. */
function rowOf(name: string, shape: NonNullable<Def['shape']>): string {
  const row: Record<string, string> = {};
  rows.set(name, row);
  for (const [field, schema] of Object.entries(shape)) {
    if (field === 'metadata') row[field] = 'ObjectMeta';
    else row[field] = typeOf(`${name}.${field}`, schema._zod.def);
  }
  return name;
}

function typeOf(name: string, def: Def): string {
  switch (def.type) {
    case 'optional':
    case 'nullable':
    case 'default':
      return typeOf(name, def.innerType!._zod.def).replace(/!$/, '');
    case 'object':
      return `${rowOf(name, def.shape!)}!`;
    case 'array':
      return `[${typeOf(name, def.element!._zod.def).replace(/!$/, '')}]!`;
    case 'record':
      return `{${typeOf(name, def.valueType!._zod.def).replace(/!$/, '')}}!`;
    case 'string':
    case 'literal':
      return 's!';
    case 'enum':
      return `s|${Object.values(def.entries!).join('|')}!`;
    case 'number':
      return 'n!';
    case 'boolean':
      return 'b!';
    case 'union':
      return def.options?.every((one) => ['string', 'number'].includes(one._zod.def.type)) ? 'q!' : '*!';
    default:
      return '*!';
  }
}

for (const { kind, schema } of kindEntries) {
  if (!rows.has(kind)) rowOf(kind, (schema as unknown as { _zod: { def: Def } })._zod.def.shape!);
}

/** Values that a text field may take, where the schemas list them: `Kind.path` without list places. */
const choices = new Map<string, readonly string[]>();
function collect(path: string, def: Def): void {
  if (def.innerType) return collect(path, def.innerType._zod.def);
  if (def.element) return collect(path, def.element._zod.def);
  if (def.type === 'enum') choices.set(path, Object.values(def.entries!));
  for (const [field, schema] of Object.entries(def.shape ?? {})) collect(`${path}.${field}`, schema._zod.def);
}
for (const { kind, schema } of kindEntries) collect(kind, (schema as unknown as { _zod: { def: Def } })._zod.def);

type Path = readonly (string | number)[];

/** What stands at a path in an object of a kind. */
export interface FieldInfo {
  /** `text`, `number`, `list of ...` and so on. */
  readonly says: string;
  readonly needed: boolean;
  /** The fields below it, when it is a map of known fields. */
  readonly fields?: FieldRow;
  readonly list: boolean;
  readonly map: boolean;
  /** Row and field, the key of its meaning: `StatefulSetSpec.serviceName`. */
  readonly key: string;
  readonly choices?: readonly string[];
}

const plain: Record<string, string> = {
  s: 'text',
  n: 'number',
  b: 'true or false',
  q: 'quantity, e.g. 40Gi',
  i: 'number or text',
  '*': 'anything'
};

function saysOf(type: string): string {
  if (type.startsWith('[')) return `list of ${saysOf(type.slice(1, -1)).replace(/^map of fields$/, 'maps')}`;
  if (type.startsWith('{')) return `map of ${saysOf(type.slice(1, -1))}`;
  return plain[type] ?? (type.startsWith('s|') ? `one of ${type.slice(2).split('|').join(', ')}` : 'map of fields');
}

function infoOf(text: string, key: string, path: string): FieldInfo {
  const needed = text.endsWith('!');
  const type = needed ? text.slice(0, -1) : text;
  const list = type.startsWith('[');
  const map = type.startsWith('{');
  const inner = list || map ? type.slice(1, -1) : type;
  const fields = rows.get(inner);
  const values = choices.get(path) ?? (inner.startsWith('s|') ? inner.slice(2).split('|') : inner === 'b' ? ['true', 'false'] : undefined);
  return { says: saysOf(type), needed, list, map, key, ...(fields ? { fields } : {}), ...(values ? { choices: values } : {}) };
}

/**
 * What the published schemas (and ours, for the stand-in's kinds) say of a path; undefined where they know nothing of it.
 * Source: the cluster API's published types, package kubernetes-types.
 * @example fieldAt('StatefulSet', ['spec', 'serviceName'])?.says // 'text'
 */
export function fieldAt(kind: string, path: Path): FieldInfo | undefined {
  if (!kindEntry(kind)) return undefined;
  let type = kind;
  let key = kind;
  let text = kind;
  for (const step of path) {
    const bare = type.replace(/!$/, '');
    if (typeof step === 'number' || bare.startsWith('{')) {
      if (!bare.startsWith(typeof step === 'number' ? '[' : '{')) return undefined;
      type = bare.slice(1, -1);
      continue;
    }
    const row = rows.get(bare);
    if (!row || !Object.hasOwn(row, step)) return undefined;
    type = row[step]!;
    key = `${bare}.${step}`;
    text += `.${step}`;
  }
  return infoOf(type, key, text);
}
