import { z } from 'zod';
import { endpoints } from './endpoints';
import { neededFor } from './endpoint';
import { problemSchema } from './problem';
import answers from './answers.json';
import { examples, type Example } from './examples';
import type { Api } from './types';

const json = (schema: z.ZodType, io: 'input' | 'output' = 'output') =>
  z.toJSONSchema(schema, { io, unrepresentable: 'any', target: 'openapi-3.0' });

const shown = (example: unknown) => (example === undefined ? {} : { example });

/** The description of the programs' interface (OpenAPI 3.0.3), made from the schemas that the server checks with. */
export function openapi() {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const one of endpoints) {
    const example: Example<keyof Api> = examples[`${one.method} ${one.path}` as keyof Api];
    const inPath = [...one.path.matchAll(/\{(\w+)\}/g)].map(([, name = '']) => ({
      name,
      in: 'path',
      required: true,
      schema: { type: 'string' },
      ...shown(example.params?.[name])
    }));
    const inQuery = Object.entries(one.query?.shape ?? {}).map(([name, schema]) => ({
      name,
      in: 'query',
      required: !(schema as z.ZodType).safeParse(undefined).success,
      schema: json(schema as z.ZodType, 'input'),
      ...shown(example.query?.[name])
    }));
    const content =
      one.body === 'manifests'
        ? { 'application/yaml': { schema: { type: 'string' }, ...shown(example.body) }, 'application/json': { schema: { type: 'object' } } }
        : one.body === 'stream'
          ? { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } }
          : one.body === 'transfer'
            ? { 'application/json': { schema: { type: 'object' } } }
            : one.body && { 'application/json': { schema: json(one.body, 'input'), ...shown(example.body) } };
    const path = (paths[`/api/v1${one.path}`] ??= {});
    path[one.method.toLowerCase()] = {
      summary: one.summary,
      description: one.needs === 'open' ? 'Open to everybody.' : `Takes the role ${neededFor(one)}, where people sign in.`,
      parameters: [...inPath, ...inQuery],
      ...(content ? { requestBody: { required: true, content } } : {}),
      responses: {
        [String(one.status ?? 200)]: {
          description: 'Done',
          content: { 'application/json': { schema: { $ref: `#/components/schemas/${one.answer}` } } }
        },
        default: {
          description: 'Problem details (RFC 9457)',
          content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/ProblemDetails' } } }
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
    components: { schemas: { ...answers, ProblemDetails: json(problemSchema) } }
  };
}
