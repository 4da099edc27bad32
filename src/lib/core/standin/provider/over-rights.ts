import { decode, encode } from 'js-base64';
import { epochMs } from '../../shared';
import type { ApiObject, Facts, Secret } from '../../model';
import { allows, rulesFor, type Account } from './accounts';
import { linkFault, type LinkFault } from './links';
import type { OperatorCard } from './operators';

/** The type of a secret (invented) with which an operator comes to another cluster: `cluster`, `account` (namespace/name) and, where it ends, `until`. */
export const accessType = 'standin.example/cluster-access';
/** The name of that secret, in the operator's namespace. */
export const accessName = (cluster: string): string => `reach-${cluster}`;

const enginesGroup = 'engines.standin.example';

/** What an operator may do in another cluster, as its access document says. */
export interface ClusterReach {
  readonly secret: Secret;
  readonly account: Account;
  /** Until when the document holds, in ms of the calendar; undefined: for good. */
  readonly untilMs?: number;
}

/** The access document of an operator for a cluster; undefined where there is none, or it says nothing that can be read. */
export function reachOf(facts: Facts, card: OperatorCard, cluster: string): ClusterReach | undefined {
  const secret = facts.list('Secret', card.namespace).find((one) => one.type === accessType && said(one, 'cluster') === cluster);
  const [namespace, name] = (secret && said(secret, 'account')?.split('/')) ?? [];
  if (!secret || namespace === undefined || !name) return undefined;
  const until = said(secret, 'until');
  const untilMs = until === undefined ? undefined : Date.parse(until);
  return { secret, account: { namespace, name }, ...(untilMs === undefined ? {} : { untilMs }) };
}

function said({ data }: Secret, key: string): string | undefined {
  const text = data?.[key];
  return text === undefined ? undefined : decode(text);
}

/** Why an operator can't look after a namespace of another cluster. */
export interface OverFault {
  readonly reason: 'NoAccess' | 'AccessEnded' | 'NotLinked' | 'AccountMissing' | 'NamespaceMissing' | 'ForbiddenThere';
  /** The cluster that it can't look after, and the one where that is to be mended. */
  readonly cluster: string;
  readonly mendIn: string;
  readonly message: string;
  readonly link?: LinkFault;
}

/** Resources that an operator has to make in other clusters; certificates are issued in its own. */
const makesThere = (card: OperatorCard) => card.makes.filter((one) => one.group !== enginesGroup);

/** What an account may not make in a namespace of its cluster, of what an operator has to: names of resources. */
export function lackingThere(there: Facts, card: OperatorCard, account: Account, namespace: string): string[] {
  const rules = rulesFor(there, account, namespace);
  return makesThere(card).flatMap(({ group, resources }) =>
    resources.filter(
      (resource) => !allows(rules, { group, resource, verb: 'create' }) || !allows(rules, { group, resource, verb: 'update' })
    )
  );
}

/**
 * Why an operator can't look after a namespace of another cluster; undefined where it can. In the order in which it must be mended: its
 * access document, the way, the account, the namespace, the rights.
 * @param facts the operator's cluster
 */
export function overFault(facts: Facts, card: OperatorCard, cluster: string, namespace: string): OverFault | undefined {
  const here = facts.elsewhere?.here ?? '';
  const fault = (reason: OverFault['reason'], mendIn: string, message: string, link?: LinkFault): OverFault => ({
    reason,
    cluster,
    mendIn,
    message,
    ...(link ? { link } : {})
  });
  const reach = reachOf(facts, card, cluster);
  if (!reach) return fault('NoAccess', here, `The operator has no access document for ${cluster} in ${card.namespace}.`);
  if (reach.untilMs !== undefined && !(reach.untilMs > epochMs + facts.nowMs))
    return fault('AccessEnded', here, `The access document ${card.namespace}/${reach.secret.metadata.name} for ${cluster} has ended.`);
  const link = linkFault(facts, cluster);
  if (link) return fault('NotLinked', link.cluster, `The operator doesn't come to ${cluster}: ${link.says}.`, link);
  const there = facts.elsewhere!.facts(cluster)!;
  const { account } = reach;
  if (!there.get('ServiceAccount', account.namespace, account.name))
    return fault('AccountMissing', cluster, `There is no account ${account.namespace}/${account.name} in ${cluster}.`);
  if (!there.get('Namespace', '', namespace))
    return fault('NamespaceMissing', cluster, `There is no namespace ${namespace} in ${cluster}.`);
  const lacking = lackingThere(there, card, account, namespace);
  if (!lacking.length) return undefined;
  return fault(
    'ForbiddenThere',
    cluster,
    `The operator's account ${account.namespace}/${account.name} may not make or alter ${lacking.join(', ')} in ${namespace} of ${cluster}.`
  );
}

const accountFor = (card: OperatorCard, from: string): string => `${card.name}-of-${from}`;

const rbac = 'rbac.authorization.k8s.io';

/** What another cluster needs so that an operator may look after namespaces of it: the account with its namespace, and roles with bindings. */
export function grantObjects(card: OperatorCard, from: string, namespaces: readonly string[], account?: Account): ApiObject[] {
  const { namespace, name } = account ?? { namespace: card.namespace, name: accountFor(card, from) };
  const rules = makesThere(card).map((one) => ({
    apiGroups: [one.group],
    resources: [...one.resources],
    verbs: ['get', 'list', 'watch', 'create', 'update', 'delete']
  }));
  return [
    ...[...new Set([namespace, ...namespaces])].map((one): ApiObject => ({ apiVersion: 'v1', kind: 'Namespace', metadata: { name: one } })),
    { apiVersion: 'v1', kind: 'ServiceAccount', metadata: { name, namespace } },
    ...namespaces.flatMap((one): ApiObject[] => [
      { apiVersion: `${rbac}/v1`, kind: 'Role', metadata: { name, namespace: one }, rules },
      {
        apiVersion: `${rbac}/v1`,
        kind: 'RoleBinding',
        metadata: { name, namespace: one },
        roleRef: { apiGroup: rbac, kind: 'Role', name },
        subjects: [{ kind: 'ServiceAccount', name, namespace }]
      }
    ])
  ];
}

/** The access document for a cluster, to be kept beside the operator. @param until until when it holds (RFC 3339); left out: for good */
export function accessObject(card: OperatorCard, from: string, cluster: string, until?: string): Secret {
  const account = `${card.namespace}/${accountFor(card, from)}`;
  return {
    apiVersion: 'v1',
    kind: 'Secret',
    metadata: { name: accessName(cluster), namespace: card.namespace },
    type: accessType,
    data: { cluster: encode(cluster), account: encode(account), ...(until === undefined ? {} : { until: encode(until) }) }
  };
}
