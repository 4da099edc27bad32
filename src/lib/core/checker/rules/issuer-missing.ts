import { join } from '../examples';
import { rule, change, hit, nearest } from '../rule';

export default rule({
  id: 'issuer-missing',
  level: 'error',
  title: 'The issuer does not exist',
  why: 'Nobody signs the certificate, so its secret is never made, and the members that mount it never start.',
  absent: ['Issuer'],
  bad: join(
    'apiVersion: engines.standin.example/v1\nkind: Issuer\nmetadata: {name: own}\nspec: {authority: own-authority}\n',
    'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: owns}, names: [store.default.svc]}\n'
  ),
  good: join(
    'apiVersion: engines.standin.example/v1\nkind: Issuer\nmetadata: {name: own}\nspec: {authority: own-authority}\n',
    'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, names: [store.default.svc]}\n'
  ),
  check: ({ written, all, target }) =>
    written('Certificate').flatMap((on) => {
      const { issuer } = on.object.spec;
      const there = all('Issuer').map((one) => one.metadata.name);
      if (issuer.namespace !== undefined || there.includes(issuer.name) || (!target && !there.length)) return [];
      const near = nearest(issuer.name, there) ?? (there.length === 1 ? there[0] : undefined);
      return [
        hit(
          on,
          ['spec', 'issuer', 'name'],
          `There is no issuer "${issuer.name}".`,
          near ? `Write ${near}.` : 'Send it first.',
          near ? change(`Write ${near}`, on, { set: ['spec', 'issuer', 'name'], value: near }) : undefined
        )
      ];
    })
});
