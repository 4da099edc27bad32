import { rule, hit } from '../rule';

/** Short, of few different characters, or words with something between them: nothing that was drawn at random. */
const looksTyped = (value: string): boolean => value.length < 22 || new Set(value).size < 10 || /[a-z]{4,}[-_. ][a-z]{2,}/i.test(value);

export default rule({
  id: 'secret-typed',
  level: 'note',
  title: 'A password that somebody typed',
  why: 'Typed passwords are short, known to others and end up in files. Have them generated: 128 random bits or more (RFC 4086), here by one press.',
  bad: 'apiVersion: v1\nkind: Secret\nmetadata: {name: store-access}\nstringData: {user: keeper, password: sunshine}\n',
  good: 'apiVersion: v1\nkind: Secret\nmetadata: {name: store-access}\nstringData: {user: keeper}\n',
  check: ({ written }) =>
    written('Secret').flatMap((on) =>
      Object.keys(on.object.stringData ?? {})
        .filter((key) => /pass|secret|token|key/i.test(key) && !/\.(crt|pem|pub)$/.test(key) && on.object.type !== 'kubernetes.io/tls')
        .filter((key) => looksTyped(on.object.stringData![key]!))
        .map((key) => hit(on, ['stringData', key], `${key} was typed, or is short.`, 'Have it generated, with 22 characters or more.'))
    )
});
