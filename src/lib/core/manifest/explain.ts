import type { z } from 'zod';
import { fieldOf, shownValue, type Problem } from '../shared';

const words: Record<string, string> = {
  array: 'a list',
  object: 'a map',
  record: 'a map',
  string: 'text',
  int: 'a whole number',
  number: 'a number',
  boolean: 'true or false'
};

const quantityHelp = 'Write a number with a suffix, e.g. 40Gi, 500Mi or 250m.';

/** Says in our words what a schema's issue means: what was found, and what to write instead. */
export function explainIssue(issue: z.core.$ZodIssue, root: unknown): Pick<Problem, 'code' | 'message' | 'remedy'> {
  let value: unknown = root;
  for (const step of issue.path) value = (value as Record<PropertyKey, unknown> | undefined)?.[step];
  const field = fieldOf(issue.path);
  if (value === undefined) {
    if (field === 'metadata.name' && (root as { metadata?: { generateName?: unknown } } | undefined)?.metadata?.generateName !== undefined)
      return {
        code: 'missing-field',
        message:
          'metadata.name is missing; generateName gives a name only where something is created, and what is sent here is found again by its name.',
        remedy: 'Write a name.'
      };
    const expected = 'expected' in issue ? words[String(issue.expected)] : undefined;
    return { code: 'missing-field', message: `${field} is missing.`, remedy: `Add ${field}${expected ? ` (${expected})` : ''}.` };
  }
  if (issue.message === 'quantity')
    return { code: 'bad-quantity', message: `${field} is ${shownValue(value)}, which is no quantity.`, remedy: quantityHelp };
  switch (issue.code) {
    case 'invalid_type': {
      const expected = words[issue.expected] ?? issue.expected;
      return {
        code: 'wrong-type',
        message: `${field} must be ${expected}; it is ${shownValue(value)}.`,
        remedy: `Write ${expected} there.`
      };
    }
    case 'invalid_value':
      return {
        code: 'bad-value',
        message: `${field} is ${shownValue(value)}, which is not allowed there.`,
        remedy: `Write one of: ${issue.values.map(String).join(', ')}.`
      };
    case 'too_small':
      return {
        code: 'bad-value',
        message: `${field} is too small: at least ${String(issue.minimum)} is needed.`,
        remedy: `Give ${String(issue.minimum)} or more.`
      };
    case 'too_big':
      return {
        code: 'bad-value',
        message: `${field} is too large: at most ${String(issue.maximum)} is allowed.`,
        remedy: `Give ${String(issue.maximum)} or less.`
      };
    default:
      return {
        code: 'wrong-type',
        message: `${field} is ${shownValue(value)}, which can't stand there.`,
        remedy: "See the kind's fields in the cluster API's reference."
      };
  }
}
