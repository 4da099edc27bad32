import { z } from 'zod';
import { endpoints } from './endpoints';
import { neededFor } from './endpoint';
import { problemSchema } from './problem';

const json = (schema: z.ZodType, io: 'input' | 'output' = 'output') =>
  z.toJSONSchema(schema, { io, unrepresentable: 'any', target: 'openapi-3.0' });

/** The description of the programs' interface (OpenAPI 3.0.3), made from the schemas that the server checks with. */
export function openapi() {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const one of endpoints) {
    const inPath = [...one.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
      name,
      in: 'path',
      required: true,
      schema: { type: 'string' }
    }));
    const inQuery = Object.entries(one.query?.shape ?? {}).map(([name, schema]) => ({
      name,
      in: 'query',
      required: !(schema as z.ZodType).safeParse(undefined).success,
      schema: json(schema as z.ZodType, 'input')
    }));
    const content =
      one.body === 'manifests'
        ? { 'application/yaml': { schema: { type: 'string' } }, 'application/json': { schema: { type: 'object' } } }
        : one.body === 'stream'
          ? { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } }
          : one.body === 'transfer'
            ? { 'application/json': { schema: { type: 'object' } } }
            : one.body && { 'application/json': { schema: json(one.body, 'input') } };
    const path = (paths[`/api/v1${one.path}`] ??= {});
    path[one.method.toLowerCase()] = {
      summary: one.summary,
      description: one.needs === 'open' ? 'Open to everybody.' : `Takes the role ${neededFor(one)}, where people sign in.`,
      parameters: [...inPath, ...inQuery],
      ...(content ? { requestBody: { required: true, content } } : {}),
      responses: {
        [String(one.status ?? 200)]: { description: 'Done', content: { 'application/json': { schema: json(one.answer) } } },
        default: {
          description: 'Problem details (RFC 9457)',
          content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } }
        }
      }
    };
  }
  return {
    openapi: '3.0.3',
    info: {
      title: 'Root Barn',
      version: '1',
      description: 'Rehearse, trace and prove persistent storage on container clusters. Times are virtual milliseconds since T+0.'
    },
    paths,
    components: { schemas: { Problem: json(problemSchema) } }
  };
}
