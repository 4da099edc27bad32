import { rule, hit } from '../rule';

export default rule({
  id: 'secret-emptied',
  level: 'warning',
  title: 'A secret whose value was left out',
  why: 'Exports leave the values of secrets out and keep their keys. Sent back like that, the empty value takes the place of the real one, and nobody gets in any more.',
  bad: 'apiVersion: v1\nkind: Secret\nmetadata: {name: store-access}\ntype: Opaque\ndata: {user: a2VlcGVy, password: ""}\n',
  good: 'apiVersion: v1\nkind: Secret\nmetadata: {name: store-access}\ntype: Opaque\ndata: {user: a2VlcGVy}\n',
  check: ({ written, target }) =>
    written('Secret').flatMap((on) => {
      const there = target?.get('Secret', on.object.metadata.namespace ?? 'default', on.object.metadata.name);
      return (['data', 'stringData'] as const).flatMap((field) =>
        Object.entries(on.object[field] ?? {})
          .filter(([, value]) => value === '')
          .map(([key]) =>
            hit(
              on,
              [field, key],
              there?.data?.[key] ? `${key} is empty here, and would empty the one that stands on the cluster.` : `${key} is empty.`,
              'Leave the secret out where it stands already, or have the value generated.'
            )
          )
      );
    })
});
