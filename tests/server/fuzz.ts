import fc from 'fast-check';

/** A request as it is made up: method, path with query, headers, body. */
export interface Odd {
  readonly method: string;
  readonly path: string;
  readonly headers: Record<string, string>;
  readonly body?: string;
}

interface Described {
  readonly parameters: readonly { name: string; in: string; schema: { enum?: unknown[]; type?: string } }[];
  readonly requestBody?: { content: Record<string, { schema: Schema }> };
}
interface Schema {
  readonly type?: string;
  readonly enum?: readonly unknown[];
  readonly properties?: Record<string, Schema>;
  readonly items?: Schema;
  readonly anyOf?: readonly Schema[];
}

const known = [
  'south-quay',
  'north-quay',
  'south-quay~try',
  'tickets',
  'bookings',
  'bookings-0',
  'data-bookings-0',
  'steady-block',
  '1',
  '2',
  'default',
  '0',
  'node-a1'
];
const odd = [
  '',
  ' ',
  '0',
  '-1',
  '1e99',
  'NaN',
  '999999999999999999999',
  'a'.repeat(300),
  '../../etc/passwd',
  '%00',
  '\u202e',
  "'; DROP TABLE draft; --",
  '{}',
  '[]',
  'null',
  '__proto__',
  'constructor',
  'toString',
  '<script>',
  'ä',
  '\ud800',
  'a/b',
  '~',
  'x~y~z',
  '2147483648',
  'true',
  '0x10',
  '\r\nx: y'
];
const word = fc.oneof(
  { weight: 3, arbitrary: fc.constantFrom(...known) },
  { weight: 2, arbitrary: fc.constantFrom(...odd) },
  fc.string({ maxLength: 12 })
);
const leaf = fc.oneof(
  word,
  fc.integer(),
  fc.constantFrom(0, -1, 1, 2, 5, 1_000, 1e9, 1e308),
  fc.boolean(),
  fc.constant(null),
  fc.constant([]),
  fc.constant({}),
  fc.array(word, { maxLength: 2 })
);

function valueFor(schema: Schema | undefined, depth = 0): fc.Arbitrary<unknown> {
  if (!schema || depth > 3) return leaf;
  const right =
    schema.enum !== undefined
      ? fc.constantFrom(...schema.enum)
      : schema.anyOf
        ? fc.oneof(...schema.anyOf.map((one) => valueFor(one, depth + 1)))
        : schema.type === 'object' && schema.properties
          ? fc.record(Object.fromEntries(Object.entries(schema.properties).map(([key, one]) => [key, valueFor(one, depth + 1)])), {
              requiredKeys: []
            })
          : schema.type === 'array'
            ? fc.array(valueFor(schema.items, depth + 1), { maxLength: 3 })
            : schema.type === 'integer' || schema.type === 'number'
              ? fc.oneof(fc.nat(5), fc.integer(), fc.constantFrom(1e9, 0.5))
              : schema.type === 'boolean'
                ? fc.boolean()
                : word;
  return fc.oneof({ weight: 5, arbitrary: right }, { weight: 1, arbitrary: leaf });
}

const manifests = fc.oneof(
  fc.constantFrom(
    'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a, namespace: default}\ndata: {a: b}\n',
    'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: c, namespace: default, finalizers: [example.com/x]}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}\n',
    'apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: s, namespace: default}\nspec: {replicas: 3, selector: {matchLabels: {app: s}}, template: {metadata: {labels: {app: s}}, spec: {containers: [{name: m, image: a/b:1}]}}}\n',
    '{"apiVersion":"v1","kind":[{"toString":"-"}],"metadata":{"name":"x"}}',
    '{"apiVersion":["v1"],"kind":"Pod"}',
    'a: &a [*a]',
    '- - - -',
    '\t',
    '---\n---\n',
    'kind: __proto__\napiVersion: v1'
  ),
  fc.string({ maxLength: 80 }),
  fc.json({ maxDepth: 3 })
);

const rightNames: Record<string, readonly string[]> = {
  id: ['south-quay', 'north-quay', 'west-quay'],
  name: ['south-quay', 'north-quay'],
  draft: ['1', '2'],
  state: ['1', '2'],
  blueprint: ['multi-primary-sql', 'log-broker'],
  node: ['node-a1']
};
const nameFor = (key: string) =>
  fc.oneof({ weight: 4, arbitrary: fc.constantFrom(...(rightNames[key] ?? known)) }, { weight: 1, arbitrary: word });

/** Requests over a whole description of an interface, most of them nearly right. */
export function oddRequests(description: { paths: Record<string, Record<string, Described>> }, leftOut: RegExp): fc.Arbitrary<Odd> {
  const calls = Object.entries(description.paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, one]) => ({ path, method: method.toUpperCase(), one }))
  );
  const wanted = calls.filter((one) => !leftOut.test(`${one.method} ${one.path}`));
  return fc.constantFrom(...wanted).chain(({ path, method, one }) => {
    const inPath = one.parameters.filter((two) => two.in === 'path');
    const inQuery = one.parameters.filter((two) => two.in === 'query');
    const content = one.requestBody?.content ?? {};
    const json = content['application/json']?.schema;
    const plain = 'application/yaml' in content || 'application/octet-stream' in content;
    const body = !one.requestBody
      ? fc.constant(undefined)
      : fc.oneof(
          { weight: 5, arbitrary: plain ? manifests : valueFor(json).map((value) => JSON.stringify(value)) },
          { weight: 1, arbitrary: fc.oneof(fc.string({ maxLength: 40 }), fc.constant('{"a":')) }
        );
    return fc
      .record({
        params: fc.tuple(...inPath.map((two) => nameFor(two.name))),
        query: fc.record(Object.fromEntries(inQuery.map((two) => [two.name, valueFor(two.schema)])), { requiredKeys: [] }),
        match: fc.option(fc.constantFrom('"1"', '1', 'W/"1"', '"a"', '"1", "2"', '*', '', '99999'), { nil: undefined, freq: 6 }),
        body
      })
      .map(({ params, query, match, body: sent }) => {
        let nth = 0;
        const filled = path.replace(/\{\w+\}/g, () => safe(params[nth++] ?? 'x'));
        const asked = Object.entries(query).map(
          ([key, value]) => `${safe(key)}=${safe(typeof value === 'string' ? value : JSON.stringify(value))}`
        );
        return {
          method,
          path: `${filled}${asked.length ? `?${asked.join('&')}` : ''}`,
          headers: (match === undefined ? {} : { 'if-match': match }) as Record<string, string>,
          ...(sent === undefined ? {} : { body: sent })
        };
      });
  });
}

/** Half a surrogate pair has no encoding; it goes as a badly encoded byte. An empty segment would be another path. */
function safe(text: string): string {
  try {
    return encodeURIComponent(text) || '%20';
  } catch {
    return '%ff';
  }
}
