import { fieldOf } from '$core/shared';
import { z } from 'zod';
import type { Refusal } from '../services';

/** Problem details, RFC 9457, with the places and the remedy beside the standard members. */
export const problemSchema = z.object({
  type: z.string().describe('Stable: urn:root-barn:problem:<code>'),
  title: z.string(),
  status: z.number(),
  detail: z.string(),
  remedy: z.string(),
  problems: z
    .array(
      z.object({
        code: z.string(),
        message: z.string(),
        remedy: z.string(),
        at: z.object({
          file: z.string().optional(),
          line: z.number().optional(),
          column: z.number().optional(),
          field: z.string().optional(),
          object: z.string().optional()
        })
      })
    )
    .optional(),
  current: z.unknown().optional()
});

export function problemResponse({ code, status, title, detail, remedy, problems, current }: Refusal): Response {
  const body = {
    type: `urn:root-barn:problem:${code}`,
    title,
    status,
    detail,
    remedy,
    ...(problems ? { problems } : {}),
    ...(current === undefined ? {} : { current })
  };
  return new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/problem+json' } });
}

/** A refusal for what a Zod schema found in a query or a body. */
export function schemaRefusal(error: z.ZodError, where: string): Refusal {
  const problems = error.issues.map((issue) => ({
    code: 'bad-value' as const,
    message: `${[where, fieldOf(issue.path)].filter(Boolean).join('.')}: ${issue.message}`,
    remedy: 'See /api/v1/openapi.json for what is expected.',
    at: { field: fieldOf(issue.path) }
  }));
  return {
    code: 'bad-request',
    status: 400,
    title: "The request can't be read",
    detail: problems[0]?.message ?? where,
    remedy: 'See /api/v1/openapi.json for what is expected.',
    problems
  };
}
