import { asManifest } from '../manifest';
import { isReady, type ApiObject, type Facts, type Pod, type StatefulSet } from '../model';
import { clusterVersion, enginePartOf, fittingImage, imageTag, partRank, type Action } from '../standin';
import type { DrillScene, Stage, Target } from './types';

/** Says on a template (invented) that its members are started anew though nothing else changes. */
const renewedMark = 'standin.example/renewed';
/** So long is waited for each member of a set, and once more (ms). Made up. */
const aMemberMs = 300_000;
/** A tag that no registry and no node has. Invented. */
const noSuchTag = 'not-there';

const sent = (set: StatefulSet, template: StatefulSet['spec']['template']): Action => ({
  type: 'send',
  objects: [asManifest({ ...set, spec: { ...set.spec, template } } as ApiObject)]
});

/** The sets that keep a workload's data, in the order in which their parts start; or why nobody rolls them out by hand. */
function rolledSets({ workload }: DrillScene): StatefulSet[] | string {
  const sets = workload.sets.filter((one) => enginePartOf(one.spec.template));
  if (!sets.length) return 'its members belong to no stateful set';
  const kept = sets.find((one) => one.metadata.ownerReferences?.length);
  if (kept) return `${kept.metadata.name} is kept by its operator, which would take a change of it back`;
  const rank = (set: StatefulSet) => partRank(enginePartOf(set.spec.template));
  return [...sets].sort((a, b) => rank(a) - rank(b) || (a.metadata.name < b.metadata.name ? -1 : 1));
}

const podsOf = (facts: Facts, set: StatefulSet): Pod[] =>
  facts
    .list('Pod', set.metadata.namespace)
    .filter((pod) => pod.metadata.ownerReferences?.some((one) => one.kind === 'StatefulSet' && one.name === set.metadata.name))
    .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));

/** What keeps a set from starting its members anew by itself; '' where nothing does. */
function heldBack({ spec: { updateStrategy } }: StatefulSet): string {
  const partition = updateStrategy?.rollingUpdate?.partition ?? 0;
  if (updateStrategy?.type === 'OnDelete') return ': the set waits until somebody takes it away (OnDelete)';
  return partition ? `: the partition keeps members below ${partition} as they are` : '';
}

/** One set, all members started anew by its own strategy: in the newest version that fits where there is a newer one, else as they are. */
function renewed(facts: Facts, set: StatefulSet): Stage & { readonly to: string } {
  const { template } = set.spec;
  const newest = template.spec.containers.map((one) => fittingImage(one.image, clusterVersion(facts)) ?? one.image);
  const changed = template.spec.containers.flatMap(({ image }, i) =>
    newest[i] === image ? [] : [`${imageTag(image)} to ${imageTag(newest[i]!)}`]
  );
  // Another one each time: who goes on from a drill's fork and drills again starts them anew once more.
  const mark = `${facts.nowMs}-${set.metadata.generation ?? 1}`;
  const next = {
    ...template,
    metadata: { ...template.metadata, annotations: { ...template.metadata?.annotations, [renewedMark]: mark } },
    spec: { ...template.spec, containers: template.spec.containers.map((one, i) => ({ ...one, image: newest[i]! })) }
  };
  return {
    label: set.metadata.name,
    to: changed.join(', '),
    begin: [sent(set, next)],
    left(now) {
      const pods = podsOf(now, set);
      const old = pods.find((pod) => pod.metadata.annotations?.[renewedMark] !== mark);
      if (old) return `${old.metadata.name} still is the one before${heldBack(set)}`;
      const waits = pods.find((pod) => !isReady(pod));
      if (waits) return `${waits.metadata.name} is not ready`;
      return pods.length < (set.spec.replicas ?? 1) ? 'a member is missing' : undefined;
    },
    mostMs: aMemberMs * ((set.spec.replicas ?? 1) + 1),
    work: [],
    workMs: 0,
    end: []
  };
}

const rollingWords = { all: 'started anew in turn', noun: 'set', done: 'was started anew', undone: 'could not be started anew' } as const;

/** All members of a workload started anew, set by set, as a new version or another setting of theirs would. */
export function rolledOut(scene: DrillScene, first: string | undefined): Target | string {
  const sets = rolledSets(scene);
  if (typeof sets === 'string') return sets;
  if (first === undefined) return 'no member stands on a node';
  const stages = sets.map((set) => renewed(scene.facts, set));
  const to = [...new Set(stages.map((one) => one.to).filter(Boolean))].join(', ');
  return {
    label: `${sets.map((one) => one.metadata.name).join(', ')}${to ? `, ${to}` : ''}`,
    members: [first],
    lasting: false,
    begin: stages[0]!.begin,
    end: [],
    stages,
    walk: rollingWords
  };
}

/** A version that can't be had is rolled out to the set of a member, and taken back; the member that never started is taken away by hand. */
export function rolledWrong(scene: DrillScene, like: Pod | undefined): Target | string {
  const sets = rolledSets(scene);
  if (typeof sets === 'string') return sets;
  const owner = like?.metadata.ownerReferences?.find((one) => one.kind === 'StatefulSet')?.name;
  const set = sets.find((one) => one.metadata.name === owner);
  if (!set) return 'no member stands on a node';
  const held = heldBack(set);
  const reaches =
    set.spec.updateStrategy?.type !== 'OnDelete' && (set.spec.updateStrategy?.rollingUpdate?.partition ?? 0) < (set.spec.replicas ?? 1);
  if (held && !reaches) return `nothing is rolled out by itself${held}`;
  const pod = podsOf(scene.facts, set).at(-1);
  if (!pod) return 'no member stands on a node';
  const { template } = set.spec;
  const containers = template.spec.containers.map(({ image, ...one }) => {
    const tag = imageTag(image);
    const bare = image.replace(/@.*$/, '');
    return { ...one, image: `${tag ? bare.slice(0, -tag.length - 1) : bare}:${noSuchTag}`, imagePullPolicy: 'Never' };
  });
  return {
    label: pod.metadata.name,
    members: [pod.metadata.name],
    lasting: true,
    begin: [sent(set, { ...template, spec: { ...template.spec, containers } } as typeof template)],
    end: [sent(set, template), { type: 'remove', ref: { kind: 'Pod', namespace: pod.metadata.namespace ?? '', name: pod.metadata.name } }]
  };
}
