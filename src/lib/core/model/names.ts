/** The rules that names of objects follow. Sources: RFC 1123, RFC 1035, the open cluster API's "Object Names and IDs" (path segments for roles). */
export type NameRule = 'label' | 'subdomain' | 'service' | 'path';

const label = /^[a-z0-9]([a-z0-9-]*[a-z0-9])?$/;
const startsWithLetter = /^[a-z]([a-z0-9-]*[a-z0-9])?$/;

/** Longest name under each rule, in characters. */
export const longestName: Record<NameRule, number> = { label: 63, subdomain: 253, service: 63, path: 253 };

/**
 * What is wrong with a name under a rule, or undefined when it is right.
 * @example nameFault('Data_1', 'label') // 'may only hold lower-case letters, digits and "-", ...'
 */
export function nameFault(name: string, rule: NameRule): string | undefined {
  if (name === '') return 'is empty';
  if (name.length > longestName[rule]) return `has ${name.length} characters; at most ${longestName[rule]} are allowed`;
  if (rule === 'path') return /^(?!\.\.?$)[^/%]+$/.test(name) ? undefined : 'may not hold "/" or "%" and may not be "." or ".."';
  if (rule === 'service') {
    return startsWithLetter.test(name) ? undefined : 'must start with a lower-case letter and hold only lower-case letters, digits and "-"';
  }
  if (rule === 'label') {
    return label.test(name) ? undefined : 'may only hold lower-case letters, digits and "-", and must start and end with a letter or digit';
  }
  const parts = name.split('.');
  return parts.every((part) => label.test(part))
    ? undefined
    : 'may only hold lower-case letters, digits, "-" and ".", and each part must start and end with a letter or digit';
}

/** The nearest right name to a wrong one, for remedies; undefined when nothing is left of it. */
export function nearestName(name: string, rule: NameRule): string | undefined {
  const kept = rule === 'subdomain' || rule === 'path' ? /[^a-z0-9.-]+/g : /[^a-z0-9-]+/g;
  let text = name
    .toLowerCase()
    .replace(kept, '-')
    .replace(/^[-.]+|[-.]+$/g, '')
    .slice(0, longestName[rule]);
  if (rule === 'service') text = text.replace(/^[^a-z]+/, '');
  text = text.replace(/[-.]+$/, '');
  return nameFault(text, rule) === undefined ? text : undefined;
}
