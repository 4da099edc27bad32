import { Ajv } from 'ajv';
import { openapi } from '$server/api/openapi';

type Schema = Record<string, unknown>;

/** `nullable`, as OpenAPI 3.0 has it, in the words of JSON Schema. */
function asJsonSchema(node: unknown): unknown {
  if (Array.isArray(node)) return node.map(asJsonSchema);
  if (typeof node !== 'object' || node === null) return node;
  const { nullable, ...rest } = Object.fromEntries(Object.entries(node).map(([key, value]) => [key, asJsonSchema(value)])) as Schema;
  return nullable === true ? { anyOf: [rest, { type: 'null' }] } : rest;
}

const described = openapi();
const ajv = new Ajv({ strict: false, allErrors: false });
ajv.addSchema({ $id: 'x', components: asJsonSchema(described.components) as Schema });
const patterns = Object.entries(described.paths).flatMap(([path, methods]) =>
  Object.entries(methods).map(([method, one]) => ({
    method: method.toUpperCase(),
    path: path.replace('/api/v1', ''),
    pattern: new RegExp(`^${path.replace('/api/v1', '').replace(/\{\w+\}/g, '[^/]+')}$`),
    answer: Object.values((one as { responses: Record<string, { content: Record<string, { schema: { $ref: string } }> }> }).responses)[0]!
      .content['application/json']!.schema.$ref
  }))
);

/** Which described calls have been answered, as `METHOD /path`. */
export const answered = new Set<string>();

/** How an answer that isn't a refusal differs from what is described; '' where it doesn't. */
export function differs(method: string, path: string, value: unknown): string {
  const [at = '', query = ''] = path.split('?');
  const meant = method === 'POST' && at === '/clusters' && /(^|&)name=/.test(query) ? '/clusters/read' : at;
  const found = patterns.find(
    (one) => one.method === method && one.pattern.test(meant) && (one.path === meant || !/read$|import$/.test(meant))
  );
  if (!found) return `${method} ${meant} is not described`;
  answered.add(`${found.method} ${found.path}`);
  const holds = ajv.getSchema(`x${found.answer}`)!;
  if (holds(value)) return '';
  const [fault] = holds.errors!;
  return `${found.method} ${found.path}: ${fault!.instancePath} ${fault!.message} ${JSON.stringify(fault!.params)}`;
}
