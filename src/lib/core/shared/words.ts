/** A number with its noun: `1 member`, `3 members`, `2,060 claims`. The one place that decides between singular and plural. */
export const plural = (count: number, one: string, many = `${one}s`): string => `${count.toLocaleString('en')} ${count === 1 ? one : many}`;

/** A place in a document, in the one way in which paths are written: `spec.volumeClaimTemplates[0].metadata.name`. */
export const fieldOf = (path: readonly PropertyKey[]): string =>
  path.reduce<string>((text, step) => (typeof step === 'number' ? `${text}[${step}]` : `${text}${text ? '.' : ''}${String(step)}`), '');

/** A value as the text that it should be: texts, numbers and truth values; '' for anything else, which has no text of its own. */
export const plainText = (value: unknown): string => (['string', 'number', 'boolean'].includes(typeof value) ? String(value) : '');

const mostShown = 60;

/** A value as a message shows it: as JSON, cut short. */
export function shownValue(value: unknown): string {
  const text = JSON.stringify(value) ?? 'nothing';
  return text.length > mostShown ? `${text.slice(0, mostShown - 3)}...` : text;
}

/** Several of something, as a sentence lists them: `a`, `a and b`, `a, b and c`. */
export const listed = (all: readonly string[]): string =>
  all.length < 2 ? (all[0] ?? '') : `${all.slice(0, -1).join(', ')} and ${all.at(-1)}`;
