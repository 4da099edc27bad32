import { rule, hit } from '../rule';

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
        .filter((key) => new Set(on.object.stringData![key]!).size < 24 || on.object.stringData![key]!.length < 22)
        .map((key) => hit(on, ['stringData', key], `${key} was typed, or is short.`, 'Have it generated, with 22 characters or more.'))
    )
});
