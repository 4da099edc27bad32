import { CORE_SCHEMA, loadAll, YAMLException } from 'js-yaml';
import { parseAllDocuments } from 'yaml';
import type { Problem } from '../shared';
import { overNested } from '../manifest';
import { jsonTexts, type Cut } from './cutter';

/** What a group of documents holds. */
export interface Parsed {
  readonly values: readonly unknown[];
  readonly problems: readonly Problem[];
}

/** Names and anchors of YAML; documents with some are read by the careful reader, which counts them. */
const anchors = /(^|[\s,:[{-])[&*][\w-]+(?=[\s,\]}]|$)/m;
const mostAliases = 100;

const problem = (code: Problem['code'], message: string, remedy: string, line: number | undefined, file: string | undefined): Problem => ({
  code,
  message,
  remedy,
  at: { ...(file === undefined ? {} : { file }), ...(line === undefined ? {} : { line }) }
});

const tooDeep = (line: number, file: string | undefined) =>
  problem(
    'too-deep',
    'A document is nested too deep to be an object of a cluster.',
    'It was left out; look for brackets that were never closed.',
    line,
    file
  );

const linesIn = (text: string): number => text.split('\n').length - 1;

/** Documents with anchors and aliases. */
function careful(text: string, line: number, file: string | undefined): Parsed {
  const values: unknown[] = [];
  const problems: Problem[] = [];
  const documents = parseAllDocuments(text, { merge: true, prettyErrors: false });
  for (const document of Array.isArray(documents) ? documents : []) {
    const [error] = document.errors;
    if (error) {
      problems.push(
        problem(
          'yaml-syntax',
          `A document is no valid YAML: ${error.message}`,
          'It was left out.',
          line + linesIn(text.slice(0, error.pos[0])),
          file
        )
      );
      continue;
    }
    try {
      values.push(document.toJS({ maxAliasCount: mostAliases }));
    } catch {
      problems.push(
        problem(
          'alias-bomb',
          `A document can't be unfolded: more than ${mostAliases} aliases, or aliases of aliases.`,
          'It was left out; dumps have no need of them.',
          line + linesIn(text.slice(0, document.range?.[0] ?? 0)),
          file
        )
      );
    }
  }
  return { values, problems };
}

function one(text: string, line: number, file: string | undefined): Parsed {
  try {
    // Most texts have neither sign; looking for one letter is far quicker than the pattern.
    if ((text.includes('&') || text.includes('*')) && anchors.test(text)) return careful(text, line, file);
    return { values: loadAll(text, { schema: CORE_SCHEMA }) as unknown[], problems: [] };
  } catch (error) {
    if (error instanceof RangeError) return { values: [], problems: [tooDeep(line, file)] };
    const mark = error instanceof YAMLException ? (error.mark?.line ?? 0) + 1 : 1;
    const words = error instanceof YAMLException ? error.reason : String(error);
    if (/nest|depth/i.test(words)) return { values: [], problems: [tooDeep(line, file)] };
    return {
      values: [],
      problems: [problem('yaml-syntax', `A document is no valid YAML: ${words}`, 'It was left out.', line + mark - 1, file)]
    };
  }
}

/** Reads a group of YAML documents; when one of them can't be read, the others are all the same. */
export function parseYamlCut({ text, linesBefore, marked = false }: Cut, file?: string): Parsed {
  /** How many lines stand in a part and not in what was given. */
  const putIn = (part: string): number => (marked && part.startsWith('---') ? 1 : 0);
  /** Reads what begins on a line of what was given: what is told of all of it is told there, not at a mark that was put in. */
  const read = (part: string, line: number): Parsed => {
    const { values, problems } = one(part, line - putIn(part), file);
    return { values, problems: problems.map(({ at, ...rest }) => ({ ...rest, at: { ...at, line: Math.max(line, at.line ?? line) } })) };
  };
  const whole = read(text, linesBefore + 1);
  if (!whole.problems.length || !/^---/m.test(text.slice(1))) return whole;
  const values: unknown[] = [];
  const problems: Problem[] = [];
  let line = linesBefore + 1;
  for (const part of text.split(/^(?=---(?:[ \t\r\n]|$))/m)) {
    const its = read(part, line);
    values.push(...its.values);
    problems.push(...its.problems);
    line += linesIn(part) - putIn(part);
  }
  return { values, problems };
}

/** Reads a JSON text: one value, or several one after another. */
export function parseJsonText(text: string, file?: string): Parsed {
  try {
    return { values: [JSON.parse(text) as unknown], problems: [] };
  } catch (error) {
    const texts = jsonTexts(text);
    const values: unknown[] = [];
    const problems: Problem[] = [];
    for (const part of texts.length > 1 ? texts : []) {
      try {
        values.push(JSON.parse(part) as unknown);
      } catch (inner) {
        problems.push(problem('yaml-syntax', `A value is no valid JSON: ${(inner as Error).message}`, 'It was left out.', undefined, file));
      }
    }
    if (texts.length > 1) return { values, problems };
    if (overNested(text)) return { values, problems: [tooDeep(1, file)] };
    if (error instanceof RangeError) return { values, problems: [tooDeep(1, file)] };
    const at = /position (\d+)/.exec((error as Error).message)?.[1];
    const line = at === undefined ? undefined : linesIn(text.slice(0, Number(at))) + 1;
    return {
      values,
      problems: [
        problem('yaml-syntax', `The text is no valid JSON: ${(error as Error).message}`, 'Check that the file is whole.', line, file)
      ]
    };
  }
}
