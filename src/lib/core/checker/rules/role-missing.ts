import { join } from '../examples';
import { change, hit, nearest, rule } from '../rule';

const api = 'apiVersion: rbac.authorization.k8s.io/v1';
const role = `${api}\nkind: Role\nmetadata: {name: reader}\nrules: [{apiGroups: [""], resources: [secrets], verbs: [get]}]\n`;
const binding = (name: string): string =>
  `${api}\nkind: RoleBinding\nmetadata: {name: readers}\nsubjects: [{kind: ServiceAccount, name: default, namespace: default}]\nroleRef: {apiGroup: rbac.authorization.k8s.io, kind: Role, name: ${name}}\n`;

export default rule({
  id: 'role-missing',
  level: 'warning',
  title: 'A binding to a role that is not there',
  why: 'A binding gives what its role says. A role that does not exist says nothing: the account may do no more than before, and nobody is told.',
  absent: ['ClusterRole', 'Role'],
  bad: join(role, binding('readr')),
  good: join(role, binding('reader')),
  check: (context) =>
    context.written('RoleBinding', 'ClusterRoleBinding').flatMap((on) => {
      const { kind, name } = on.object.roleRef;
      const space = on.object.metadata.namespace ?? 'default';
      // Roles that every cluster has are not in the draft.
      if (name.startsWith('system:') || ['cluster-admin', 'admin', 'edit', 'view'].includes(name)) return [];
      const all = kind === 'Role' ? context.all('Role', space) : context.all('ClusterRole');
      if (all.some((one) => one.metadata.name === name) || (!all.length && !context.target)) return [];
      const near = nearest(
        name,
        all.map((one) => one.metadata.name)
      );
      return [
        hit(
          on,
          ['roleRef', 'name'],
          `There is no ${kind} ${name}.`,
          near ? `Did you mean ${near}?` : 'Send the role too.',
          near ? change(`Write ${near}`, on, { set: ['roleRef', 'name'], value: near }) : undefined
        )
      ];
    })
});
