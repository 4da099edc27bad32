import type { Problem } from '$core/shared';

/** Why a service couldn't do what was asked, as problem details (RFC 9457) say it. */
export interface Refusal {
  /** Stable name of the kind of problem; becomes the `type`. */
  readonly code: string;
  readonly status: number;
  readonly title: string;
  readonly detail: string;
  readonly remedy: string;
  /** Every single problem with its place. */
  readonly problems?: readonly Problem[];
  /** The newer state, where the asker's was old. */
  readonly current?: unknown;
}

/** What a service gives: a value, or a refusal. Nothing is thrown for what a reader can get wrong. */
export type Answer<T> =
  /** `cookie`: a Set-Cookie line that goes along. */
  { readonly ok: true; readonly value: T; readonly cookie?: string } | { readonly ok: false; readonly refusal: Refusal };

export const done = <T>(value: T): { readonly ok: true; readonly value: T } => ({ ok: true, value });
export const refused = <T = never>(refusal: Refusal): Answer<T> => ({ ok: false, refusal });

export const unknownRehearsal = (id: string): Refusal => ({
  code: 'unknown-rehearsal',
  status: 404,
  title: 'There is no such rehearsal',
  detail: `There is no rehearsal "${id}".`,
  remedy: 'A rehearsal is called <cluster> or <cluster>~<fork>; GET /api/v1/rehearsals lists them.'
});

export const notFound = (what: string, remedy = 'Check kind, namespace and name.'): Refusal => ({
  code: 'not-found',
  status: 404,
  title: 'Not found',
  detail: `${what} doesn't exist at this moment.`,
  remedy
});

/** A cluster's name that is in use. */
export const clusterTaken = (name: string, remedy: string): Refusal => ({
  code: 'name-taken',
  status: 409,
  title: 'There is such a cluster already',
  detail: `${name} exists.`,
  remedy
});

const titles: Record<string, string> = {
  'later-actions': 'Something was sent after this moment',
  'not-found': 'Not found',
  'bad-layout': "This cluster can't be laid out",
  'too-large': 'This is too much at once'
};

/** A refusal made of the problems of what was handed in. */
export function refusalOf(problems: readonly Problem[]): Refusal {
  const first = problems[0]!;
  const unreadable = [
    'yaml-syntax',
    'alias-bomb',
    'tab-indent',
    'too-deep',
    'unserved-version',
    'selector-labels',
    'mount-without-volume',
    'cluster-wide',
    'not-an-object',
    'unknown-kind',
    'missing-field',
    'wrong-type',
    'bad-value',
    'bad-name',
    'bad-quantity',
    'duplicate-object',
    'nothing-to-send',
    'bad-layout'
  ];
  const tooLarge = problems.some((one) => one.code === 'too-large');
  const status = tooLarge
    ? 413
    : first.code === 'later-actions'
      ? 409
      : first.code === 'not-found'
        ? 404
        : unreadable.includes(first.code)
          ? 400
          : 422;
  const more = problems.length > 1 ? ` (and ${problems.length - 1} more)` : '';
  return {
    code: first.code,
    status,
    title: titles[first.code] ?? (status === 400 ? "The manifests can't be read" : 'The cluster refuses this'),
    detail: first.message + more,
    remedy: first.remedy,
    problems
  };
}
