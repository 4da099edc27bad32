import { join } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'issuer-elsewhere',
  level: 'error',
  title: 'The issuer stands in another namespace',
  why: 'An issuer that belongs to a namespace serves that namespace only. A certificate elsewhere waits for it for ever.',
  bad: join(
    'apiVersion: v1\nkind: Namespace\nmetadata: {name: tickets}\n',
    'apiVersion: engines.standin.example/v1\nkind: Issuer\nmetadata: {name: own, namespace: tickets}\nspec: {authority: own-authority}\n',
    'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, names: [store.default.svc]}\n'
  ),
  good: join(
    'apiVersion: engines.standin.example/v1\nkind: Issuer\nmetadata: {name: own}\nspec: {authority: own-authority}\n',
    'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, names: [store.default.svc]}\n'
  ),
  check: ({ written, find, all }) =>
    written('Certificate').flatMap((on) => {
      const { issuer } = on.object.spec;
      const space = on.object.metadata.namespace ?? 'default';
      const wrong = issuer.namespace !== undefined && issuer.namespace !== space;
      if (!wrong && find('Issuer', space, issuer.name)) return [];
      const other = all('Issuer').find((one) => one.metadata.name === issuer.name);
      if (!wrong && !other) return [];
      const mine = written('Issuer').find((one) => one.object === other);
      return [
        hit(
          on,
          ['spec', 'issuer'],
          `The issuer "${issuer.name}" stands in ${issuer.namespace ?? other?.metadata.namespace}, the certificate in ${space}.`,
          `Make an issuer in ${space}.`,
          mine ? change(`Move the issuer to ${space}`, mine, { set: ['metadata', 'namespace'], value: space }) : undefined
        )
      ];
    })
});
