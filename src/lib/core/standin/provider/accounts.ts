import type { Facts } from '../../model';

/** A service account. */
export interface Account {
  readonly namespace: string;
  readonly name: string;
}

/** Something that an account wants to do with objects of the cluster. `group` is '' for the core group. */
export interface Want {
  readonly verb: string;
  readonly group: string;
  readonly resource: string;
}

interface RuleLike {
  readonly apiGroups?: readonly string[] | undefined;
  readonly resources?: readonly string[] | undefined;
  readonly verbs: readonly string[];
}
type Subjects = readonly { kind: string; name: string; namespace?: string | undefined }[] | null | undefined;

/** Groups that every service account is in. Source: the cluster API's "Using RBAC Authorization", referring to subjects. */
const groupsOf = ({ namespace }: Account): readonly string[] => [
  'system:serviceaccounts',
  `system:serviceaccounts:${namespace}`,
  'system:authenticated'
];

const names = (subjects: Subjects, account: Account): boolean =>
  (subjects ?? []).some((one) =>
    one.kind === 'ServiceAccount'
      ? one.name === account.name && one.namespace === account.namespace
      : one.kind === 'Group'
        ? groupsOf(account).includes(one.name)
        : one.kind === 'User' && one.name === `system:serviceaccount:${account.namespace}:${account.name}`
  );

const rulesOf = (role: { rules?: readonly RuleLike[] | null | undefined } | undefined): readonly RuleLike[] => role?.rules ?? [];

/** The rules that hold for an account: in the whole cluster, and in a namespace where one is named. Source: "Using RBAC Authorization". */
export function rulesFor(facts: Facts, account: Account, namespace?: string): RuleLike[] {
  const wide = facts
    .list('ClusterRoleBinding')
    .filter((one) => names(one.subjects, account))
    .flatMap((one) => rulesOf(facts.get('ClusterRole', '', one.roleRef.name)));
  if (namespace === undefined) return wide;
  const near = facts
    .list('RoleBinding', namespace)
    .filter((one) => names(one.subjects, account))
    .flatMap(({ roleRef: { kind, name } }) =>
      rulesOf(kind === 'Role' ? facts.get('Role', namespace, name) : facts.get('ClusterRole', '', name))
    );
  return [...wide, ...near];
}

const has = (list: readonly string[] | undefined, wanted: string): boolean =>
  list?.includes(wanted) === true || list?.includes('*') === true;

/** Whether one of some rules lets something be done. */
export const allows = (rules: readonly RuleLike[], { group, resource, verb }: Want): boolean =>
  rules.some((rule) => has(rule.apiGroups, group) && has(rule.resources, resource) && has(rule.verbs, verb));
