/** One value that may be chosen, and its words. */
export interface Choice {
  readonly value: string;
  readonly label: string;
}

/** A value that somebody is asked for: its form, and what it can be where it comes from a list. */
export interface Asked {
  readonly kind: 'size' | 'count' | 'yes-no' | 'range' | 'rights' | 'choice' | 'several';
  readonly choices?: readonly Choice[];
}

/** What a value of each kind looks like, for somebody who wrote another. */
const forms: Readonly<Record<Asked['kind'], { readonly is: (value: string, one: Asked) => boolean; readonly help: string }>> = {
  size: { is: (value) => /^\d{1,15}(\.\d+)?([KMGTPE]i?)?$/.test(value), help: 'Write a size such as 10Ti.' },
  count: { is: (value) => /^\d{1,7}$/.test(value), help: 'Write a whole number.' },
  range: { is: isRange, help: 'Write a range such as 100.64.0.0/10.' },
  'yes-no': { is: (value) => value === 'yes' || value === 'no', help: 'Write yes or no.' },
  choice: { is: (value, { choices = [] }) => choices.some((one) => one.value === value), help: 'Choose one of the list.' },
  several: { is: among(1), help: 'Choose one at the least.' },
  rights: { is: among(0), help: 'Name rights of the list, with commas between.' }
};

function isRange(value: string): boolean {
  const found = /^(\d{1,3})\.(\d{1,3})\.(\d{1,3})\.(\d{1,3})\/(\d{1,2})$/.exec(value);
  return found !== null && found.slice(1, 5).every((one) => Number(one) <= 255) && Number(found[5]) <= 32;
}

/** The names in a text, with commas or spaces between. */
export function namesListed(value: string | undefined): string[] {
  return (value ?? '').split(/[\s,]+/).filter(Boolean);
}

/** So many names of a list at the least, and none beside it. */
function among(least: number) {
  return (value: string, { choices = [] }: Asked): boolean => {
    const names = namesListed(value);
    return names.length >= least && names.every((one) => choices.some((two) => two.value === one));
  };
}

/** Why a value can't be supposed, with what to write instead; undefined where it can. */
export function answerFault(one: Asked, value: string): string | undefined {
  const { is, help } = forms[one.kind];
  return is(value.trim(), one) ? undefined : help;
}
