import { join } from '../examples';
import { hit, rule } from '../rule';

const api = 'apiVersion: rbac.authorization.k8s.io/v1';
const account = 'apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: keeper}\n';
const binding = (space: string): string =>
  `${api}\nkind: ClusterRoleBinding\nmetadata: {name: keepers}\nsubjects: [{kind: ServiceAccount, name: keeper, namespace: ${space}}]\nroleRef: {apiGroup: rbac.authorization.k8s.io, kind: ClusterRole, name: view}\n`;

export default rule({
  id: 'binding-without-account',
  level: 'warning',
  title: 'A binding for an account that is not there',
  why: 'A binding names accounts with their namespace. With another namespace, often the one it was copied from, it gives its rights to nobody, and the account that was meant goes without.',
  absent: ['ServiceAccount'],
  bad: join(account, binding('elsewhere')),
  good: join(account, binding('default')),
  check: (context) =>
    context.written('RoleBinding', 'ClusterRoleBinding').flatMap((on) =>
      (on.object.subjects ?? []).flatMap((one, i) => {
        if (one.kind !== 'ServiceAccount' || one.name === 'default' || context.find('ServiceAccount', one.namespace ?? '', one.name))
          return [];
        const named = context.all('ServiceAccount').filter((two) => two.metadata.name === one.name);
        if (!named.length && !context.target) return [];
        return [
          hit(
            on,
            ['subjects', i, 'namespace'],
            `There is no account ${one.namespace}/${one.name}.`,
            named.length ? `It stands in ${named.map((two) => two.metadata.namespace ?? 'default').join(', ')}.` : 'Send the account too.'
          )
        ];
      })
    )
});
