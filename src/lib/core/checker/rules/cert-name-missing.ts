import { nameCovers, wantedNames } from '../cert';
import { join, service, set } from '../examples';
import { rule, change, hit, listed } from '../rule';

export default rule({
  id: 'cert-name-missing',
  level: 'error',
  title: "A member's name is missing from the certificate",
  why: 'Whoever connects checks that the certificate carries the name they called. A member whose name is missing is refused by its peers, often at the first fail-over only.',
  bad: join(
    service(),
    set({ spec: 'replicas: 3' }),
    'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, set: store, names: [store-0.store.default.svc.cluster.local, store-1.store.default.svc.cluster.local]}\n',
    'apiVersion: engines.standin.example/v1\nkind: Issuer\nmetadata: {name: own}\nspec: {authority: own-authority}\n'
  ),
  good: join(
    service(),
    set({ spec: 'replicas: 3' }),
    'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, set: store, names: ["*.store.default.svc.cluster.local"]}\n',
    'apiVersion: engines.standin.example/v1\nkind: Issuer\nmetadata: {name: own}\nspec: {authority: own-authority}\n'
  ),
  check: (context) =>
    context.written('Certificate').flatMap((on) => {
      const { set: name, names } = on.object.spec;
      const space = on.object.metadata.namespace ?? 'default';
      const found = name ? context.find('StatefulSet', space, name) : undefined;
      if (!found) return [];
      const missing = wantedNames(found, context.target).filter((one) => !names.some((two) => nameCovers(two, one)));
      if (!missing.length) return [];
      return [
        hit(
          on,
          ['spec', 'names'],
          `${missing.length === 1 ? 'The name' : 'The names'} ${listed(missing)} ${missing.length === 1 ? 'is' : 'are'} missing.`,
          'Add them, or one wildcard over the members.',
          change('Add what is missing', on, { set: ['spec', 'names'], value: [...names, ...missing] })
        )
      ];
    })
});
