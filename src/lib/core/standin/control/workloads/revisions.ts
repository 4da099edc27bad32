import { ownerOf, refOf, type ControllerRevision, type Facts, type PodTemplate, type StatefulSet } from '../../../model';
import type { ClusterAccess } from '../loop';
import { revisionOf } from './pods';

export const revisionLabel = 'controller-revision-hash';

/** The label, and the name, of a set's revision. Source: ControllerRevision v1 apps; the label controller-revision-hash. */
export const labelOf = (set: StatefulSet, template: PodTemplate): string => `${set.metadata.name}-${revisionOf(template)}`;

const revisionsOf = (world: ClusterAccess, set: StatefulSet): ControllerRevision[] =>
  world.store
    .ownedBy(set.metadata.uid ?? '')
    .filter((one): one is ControllerRevision => one.kind === 'ControllerRevision')
    .sort((a, b) => a.revision - b.revision);

/** How many old revisions are kept where a set doesn't say. Source: StatefulSetSpec v1 apps, revisionHistoryLimit. */
const usualHistory = 10;

/** Keeps a set's template as a revision of its own, the newest last, and lets go of those that nobody can go back to. */
export function keepRevision(world: ClusterAccess, set: StatefulSet): void {
  const name = labelOf(set, set.spec.template);
  const all = revisionsOf(world, set);
  const last = all.at(-1);
  if (last?.metadata.name === name) return;
  const known = all.find((one) => one.metadata.name === name);
  const revision = (last?.revision ?? 0) + 1;
  if (known) world.put({ ...known, revision });
  else
    world.put({
      apiVersion: 'apps/v1',
      kind: 'ControllerRevision',
      metadata: {
        name,
        ...(set.metadata.namespace === undefined ? {} : { namespace: set.metadata.namespace }),
        ...(set.spec.selector.matchLabels ? { labels: set.spec.selector.matchLabels } : {}),
        ownerReferences: [ownerOf(set)]
      },
      data: { spec: { template: set.spec.template } },
      revision
    });
  const needed = [name, set.status?.currentRevision];
  const old = all.filter((one) => !needed.includes(one.metadata.name));
  for (const one of old.slice(0, Math.max(0, old.length - (set.spec.revisionHistoryLimit ?? usualHistory)))) world.drop(refOf(one));
}

/**
 * The template of a member that is made now: while a new one is rolled out, members that it hasn't come to (by the partition, or because
 * those above aren't done) come back as they were. Source: "StatefulSets", partitioned rolling updates.
 */
export function templateFor(facts: Facts, set: StatefulSet, ordinal: number): PodTemplate {
  const { template, updateStrategy } = set.spec;
  const { currentRevision } = set.status ?? {};
  if (updateStrategy?.type === 'OnDelete' || currentRevision === undefined || currentRevision === labelOf(set, template)) return template;
  const first = set.spec.ordinals?.start ?? 0;
  const partition = updateStrategy?.rollingUpdate?.partition;
  // Counted as they are now: those that the rollout has just taken away are no longer of the old template.
  const old = () =>
    facts
      .ownedBy(set.metadata.uid ?? '')
      .filter((one) => one.kind === 'Pod' && !one.metadata.deletionTimestamp && one.metadata.labels?.[revisionLabel] === currentRevision);
  if (!(ordinal < (partition ?? first + old().length))) return template;
  return facts.get('ControllerRevision', set.metadata.namespace ?? '', currentRevision)?.data?.spec.template ?? template;
}
