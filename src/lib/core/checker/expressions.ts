import { Environment } from '@marcbachmann/cel-js';

/*
 * Expressions of the common expression language, as the cluster API's validation of definitions writes them. Source: "Common Expression
 * Language in Kubernetes". Whole numbers are int, as there.
 */

/** Loops within loops multiply what an expression costs; so many words for loops are taken in one. A bound of this program. */
const mostLoops = 4;
const loops = /\.(all|exists|exists_one|map|filter)\s*\(/g;

const environment = new Environment({ unlistedVariablesAreDyn: true });

/** A value as the language knows it. */
function inLanguage(value: unknown): unknown {
  if (typeof value === 'number') return Number.isInteger(value) ? BigInt(value) : value;
  if (Array.isArray(value)) return value.map(inLanguage);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, inLanguage(one)]));
}

const oneLine = (error: unknown): string => (error instanceof Error ? error.message : String(error)).split('\n')[0]!.slice(0, 200);

/** Why an expression can't be used; undefined when it can. */
export function expressionFault(expression: string): string | undefined {
  if ((expression.match(loops) ?? []).length > mostLoops) return `it loops more than ${mostLoops} times`;
  try {
    environment.parse(expression);
    return undefined;
  } catch (error) {
    return oneLine(error);
  }
}

/** What an expression says of an object: it holds, it doesn't, or why it can't be told. */
export function holds(expression: string, object: unknown): boolean | { readonly fault: string } {
  const wrong = expressionFault(expression);
  if (wrong !== undefined) return { fault: wrong };
  try {
    const said: unknown = environment.evaluate(expression, { object: inLanguage(object) as Record<string, unknown> });
    return typeof said === 'boolean' ? said : { fault: 'it says neither true nor false' };
  } catch (error) {
    return { fault: oneLine(error) };
  }
}
