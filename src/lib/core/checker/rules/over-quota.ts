import { claim, join, service, set } from '../examples';
import { amountOf, amountText, memberClaim, ordinalsOf, type ApiObject, type ResourceQuota } from '../../model';
import { quotaCounts, takenBy } from '../../standin';
import { podPlaces } from '../pods';
import { hit, rule } from '../rule';
import { meeting, podOf, podsAsked } from '../shut';
import type { DraftContext, WrittenOf } from '../types';

const quota = (size: string): string =>
  `apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: cap}\nspec: {hard: {requests.storage: ${size}, persistentvolumeclaims: 4}}\n`;

/** What the workloads and claims of a namespace come to when all that they ask for is made: each with how often. */
function asked(context: DraftContext, namespace: string): { readonly object: ApiObject; readonly times: number }[] {
  const members = new Set<string>();
  const found: { object: ApiObject; times: number }[] = [];
  for (const one of context.all('StatefulSet', namespace))
    for (const { metadata, spec } of one.spec.volumeClaimTemplates ?? []) {
      for (const ordinal of ordinalsOf(one)) members.add(memberClaim(metadata.name, one, ordinal));
      found.push({
        object: { apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata: { name: metadata.name, namespace }, spec },
        times: podsAsked(context, one)
      });
    }
  for (const kind of ['StatefulSet', 'Deployment', 'DaemonSet'] as const)
    for (const on of context.all(kind, namespace)) {
      const { template } = on.spec;
      const place = {
        on: { object: on } as WrittenOf<'Deployment'>,
        spec: template.spec,
        path: [],
        namespace,
        labels: template.metadata?.labels
      };
      found.push({ object: podOf(context, place), times: podsAsked(context, on) });
    }
  for (const object of context.all('Pod', namespace)) if (!object.metadata.ownerReferences?.length) found.push({ object, times: 1 });
  for (const object of context.all('PersistentVolumeClaim', namespace))
    if (!members.has(object.metadata.name)) found.push({ object, times: 1 });
  return found;
}

/** Resources of a quota that all of it together exceeds. */
function exceeded(context: DraftContext, quota: ResourceQuota, namespace: string) {
  const all = asked(context, namespace).filter(({ object }) => quotaCounts(quota, object));
  return Object.entries(quota.spec?.hard ?? {}).flatMap(([resource, limit]) => {
    const most = amountOf(resource, limit);
    const sum = all.reduce((total, { object, times }) => total + times * (takenBy(object, meeting(context)).get(resource) ?? 0), 0);
    return most !== undefined && sum > most ? [{ resource, says: `${amountText(resource, sum)} of ${resource}`, most: String(limit) }] : [];
  });
}

export default rule({
  id: 'over-quota',
  level: 'error',
  title: 'More than its namespace has in all',
  why: 'A quota counts what stands in a namespace. Whatever comes once it is used up is refused: the last members of a set, or the one that is made anew after a node was lost.',
  bad: join(quota('100Gi'), service(), set({ spec: 'replicas: 3' })),
  good: join(quota('200Gi'), service(), set({ spec: 'replicas: 3' }), claim()),
  check: (context) => {
    const spaces = new Set([
      ...podPlaces(context).map((one) => one.namespace),
      ...context.written('PersistentVolumeClaim', 'ResourceQuota').map((one) => one.object.metadata.namespace ?? 'default')
    ]);
    return [...spaces].flatMap((namespace) =>
      context.all('ResourceQuota', namespace).flatMap((quota) =>
        exceeded(context, quota, namespace).flatMap(({ resource, says, most }) => {
          const on = [...context.written('StatefulSet', 'Deployment', 'DaemonSet', 'PersistentVolumeClaim', 'Pod', 'ResourceQuota')].find(
            (one) => (one.object.metadata.namespace ?? 'default') === namespace
          );
          return on
            ? [
                hit(
                  on,
                  ['spec'],
                  `What ${namespace} asks for comes to ${says}, and its quota ${quota.metadata.name} has ${most}.`,
                  `Ask for less, or raise ${resource} in the quota.`
                )
              ]
            : [];
        })
      )
    );
  }
});
