import { Environment } from '@marcbachmann/cel-js';

/*
 * Expressions of the common expression language, as the cluster API's validation of definitions writes them. Source: "Common Expression
 * Language in Kubernetes". Whole numbers are int, as there.
 */

/** Loops within loops multiply what an expression costs: so many are taken in all, and so deep. Bounds of this program. */
const mostLoops = 8;
const deepestLoops = 2;
const pieces = /"(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*'|\.(all|exists|exists_one|map|filter|matches)\s*\(|[()]/g;

/** Why an expression could take for ever; undefined when it can't. */
function costFault(expression: string): string | undefined {
  const open: boolean[] = [];
  let count = 0;
  for (const [piece, word] of expression.matchAll(pieces)) {
    // Patterns are tried backwards and forwards here, which can take for ever; the language means another kind of matching.
    if (word === 'matches') return 'matches() is not taken here; use startsWith, endsWith, contains or ==';
    if (piece === ')') open.pop();
    else if (word !== undefined || piece === '(') open.push(word !== undefined);
    if (word !== undefined && (count += 1) > mostLoops) return `it loops more than ${mostLoops} times`;
    if (open.filter(Boolean).length > deepestLoops) return `its loops stand more than ${deepestLoops} deep in each other`;
  }
  return undefined;
}

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
  const cost = costFault(expression);
  if (cost !== undefined) return cost;
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
