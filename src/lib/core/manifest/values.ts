import type { Path } from './writing';

/** A path as in `spec.containers[0].image`. */
export const pathText = (path: Path): string =>
  path.reduce<string>((text, step) => (typeof step === 'number' ? `${text}[${step}]` : text ? `${text}.${step}` : step), '');

/** The path of a text made by {@link pathText}. */
export const pathOf = (text: string): Path =>
  text
    .split(/[.[\]]+/)
    .filter(Boolean)
    .map((step) => (/^\d+$/.test(step) ? Number(step) : step));

function setAt(value: unknown, [step, ...rest]: Path, next: unknown): unknown {
  if (step === undefined) return next;
  if (Array.isArray(value)) return value.map((one, i) => (i === step ? setAt(one, rest, next) : one));
  if (typeof value !== 'object' || value === null || !(step in value)) return value;
  return { ...value, [step]: setAt((value as Record<string, unknown>)[step], rest, next) };
}

/** A value with something else at a path; unchanged where the path leads nowhere. */
export const withValue = <T>(value: T, path: Path, next: unknown): T => setAt(value, path, next) as T;
