import { asManifest } from '../manifest';
import { isReady, makerOf, type ApiObject, type DaemonSet, type Deployment, type Facts, type Pod, type StatefulSet } from '../model';
import { podsIn } from '../proofs';
import { plural } from '../shared';
import {
  clusterVersion,
  compareVersions,
  driverCard,
  driverPartOf,
  enginePartOf,
  fittingImage,
  imageTag,
  newestFitting,
  partRank,
  type Action
} from '../standin';
import { altered, itsDriver, itsOperator, member, opened, taken, workOn } from './striking';
import type { DrillScene, Stage, Target } from './types';

/** Says on a template (invented) that its members are started anew though nothing else changes. */
export const renewedMark = 'standin.example/renewed';
/** So long is waited for each member of a set, and once more (ms). Made up. */
const aMemberMs = 300_000;
/** A tag that no registry and no node has. Invented. */
const noSuchTag = 'not-there';

/** Whoever makes pods by a template. */
type Maker = StatefulSet | Deployment | DaemonSet;

const sent = (maker: Maker, template: Maker['spec']['template']): Action => ({
  type: 'send',
  objects: [asManifest({ ...maker, spec: { ...maker.spec, template } } as ApiObject)]
});

/** The sets that keep a workload's data, in the order in which their parts start; or why nobody rolls them out by hand. */
export function rolledSets({ workload }: DrillScene): StatefulSet[] | string {
  const sets = workload.sets.filter((one) => enginePartOf(one.spec.template));
  if (!sets.length) return 'its members belong to no stateful set';
  const kept = sets.find((one) => one.metadata.ownerReferences?.length);
  if (kept) return `${kept.metadata.name} is kept by its operator, which would take a change of it back`;
  const rank = (set: StatefulSet) => partRank(enginePartOf(set.spec.template));
  return [...sets].sort((a, b) => rank(a) - rank(b) || (a.metadata.name < b.metadata.name ? -1 : 1));
}

const podsOf = (facts: Facts, maker: Maker): Pod[] =>
  facts
    .list('Pod', maker.metadata.namespace)
    .filter((pod) => {
      const mine = makerOf(pod);
      return mine?.kind === maker.kind && mine.name === maker.metadata.name && !pod.metadata.deletionTimestamp;
    })
    .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));

/** How many pods somebody ought to have made; undefined where nodes tell. */
const wantedBy = (maker: Maker): number | undefined => (maker.kind === 'DaemonSet' ? undefined : (maker.spec.replicas ?? 1));

/** What keeps a set from starting its members anew by itself; '' where nothing does. */
function heldBack(maker: Maker): string {
  if (maker.kind === 'Deployment') return maker.spec.paused ? ': it is paused' : '';
  if (maker.kind === 'DaemonSet')
    return maker.spec.updateStrategy?.type === 'OnDelete' ? ': it waits until somebody takes it away (OnDelete)' : '';
  const { updateStrategy } = maker.spec;
  const partition = updateStrategy?.rollingUpdate?.partition ?? 0;
  if (updateStrategy?.type === 'OnDelete') return ': the set waits until somebody takes it away (OnDelete)';
  return partition ? `: the partition keeps members below ${partition} as they are` : '';
}

/**
 * All pods of one maker started anew by its own strategy: in the newest version that fits where there is a newer one, else as they are.
 * @param same as they are in any case
 */
export function renewed(facts: Facts, maker: Maker, same = false): Stage & { readonly to: string } {
  const { template } = maker.spec;
  const newest = template.spec.containers.map((one) => (same ? undefined : newestOf(facts, one.image)) ?? one.image);
  const changed = template.spec.containers.flatMap(({ image }, i) =>
    newest[i] === image ? [] : [`${imageTag(image)} to ${imageTag(newest[i]!)}`]
  );
  // Another one each time: who goes on from a drill's fork and drills again starts them anew once more.
  const mark = `${facts.nowMs}-${maker.metadata.generation ?? 1}`;
  const next = {
    ...template,
    metadata: { ...template.metadata, annotations: { ...template.metadata?.annotations, [renewedMark]: mark } },
    spec: { ...template.spec, containers: template.spec.containers.map((one, i) => ({ ...one, image: newest[i]! })) }
  };
  const wanted = wantedBy(maker) ?? podsOf(facts, maker).length;
  return {
    label: maker.metadata.name,
    to: changed.join(', '),
    begin: [sent(maker, next)],
    left(now) {
      const pods = podsOf(now, maker);
      const old = pods.find((pod) => pod.metadata.annotations?.[renewedMark] !== mark);
      if (old) return `${old.metadata.name} still is the one before${heldBack(maker)}`;
      const waits = pods.find((pod) => !isReady(pod));
      if (waits) return `${waits.metadata.name} is not ready`;
      return pods.length < wanted ? 'one is missing' : undefined;
    },
    mostMs: aMemberMs * (wanted + 1),
    work: [],
    workMs: 0,
    end: []
  };
}

/** The newest version of an image that fits the cluster: of an engine or an operator by its own card, of a driver's part by the driver's. */
function newestOf(facts: Facts, image: string): string | undefined {
  const cluster = clusterVersion(facts);
  const card = driverCard(driverPartOf({ containers: [{ image }] } as Pod['spec'])?.driver ?? '');
  const version = card && newestFitting(card, cluster);
  if (version === undefined) return fittingImage(image, cluster);
  const tag = imageTag(image);
  return compareVersions(tag, version) > 0 ? undefined : `${image.slice(0, image.length - tag.length)}${version}`;
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

const supplyWords = { all: 'started anew in turn', noun: 'part', done: 'was there anew', undone: 'did not come up' } as const;

/** A member made anew, once all before it is done: what it is supplied by has to do its work again. */
function madeAnew(pod: Pod): Stage {
  const { namespace = '', name, uid } = pod.metadata;
  return {
    label: name,
    begin: [taken(pod)],
    left(now) {
      const one = now.get('Pod', namespace, name);
      if (!one || one.metadata.uid === uid) return 'it has not been made yet';
      return isReady(one) ? undefined : 'it is not ready';
    },
    mostMs: aMemberMs,
    work: [],
    workMs: 0,
    end: []
  };
}

/** What a workload is supplied by is started anew, part by part, and then a member is made anew. */
function supplyRolled(scene: DrillScene, pod: Pod, name: string, makers: readonly Maker[]): Target | string {
  const maker = makerOf(pod);
  if (maker?.kind !== 'StatefulSet') return 'its members come again under other names';
  const kept = makers.find((one) => one.metadata.ownerReferences?.length);
  if (kept) return `${kept.metadata.name} is kept by its operator, which would take a change of it back`;
  const parts = makers.map((one) => renewed(scene.facts, one));
  const stages: Stage[] = [...parts, madeAnew(pod)];
  const to = [...new Set(parts.map((one) => one.to).filter(Boolean))].join(', ');
  return {
    label: `${name}${to ? `, ${to}` : ''}, then ${pod.metadata.name}`,
    members: [pod.metadata.name],
    lasting: false,
    begin: stages[0]!.begin,
    end: [],
    stages,
    walk: supplyWords
  };
}

/** A driver's node parts and its controller, as a new version of it would. */
export const driverRolled = (scene: DrillScene): Target | string =>
  itsDriver(scene, (pod, driver) => {
    const { facts } = scene;
    const isPart = (one: Maker) => driverPartOf(one.spec.template.spec)?.driver === driver;
    const makers = [...facts.list('DaemonSet').filter(isPart), ...facts.list('Deployment').filter(isPart)];
    return makers.length ? supplyRolled(scene, pod, driver, makers) : `no part of ${driver} runs here`;
  });

/** The operator that looks after a workload. */
export const operatorRolled = (scene: DrillScene): Target | string =>
  itsOperator(scene, (pod, card, makers) => supplyRolled(scene, pod, card.name, makers));

/** The next version of a cluster, and each node that holds members emptied, raised to it and opened again, one after another. */
export function clusterRaised({ facts, workload }: DrillScene, pod: Pod | undefined): Target | string {
  const [ground] = facts.list('Ground');
  if (!ground) return 'nothing says here which version the place has';
  if (!pod) return 'no member stands on a node';
  const now = clusterVersion(facts);
  const [major = '1', minor = '0'] = now.split('.');
  const next = `${major}.${Number(minor) + 1}`;
  const nodes = [...new Set(podsIn(facts, workload).flatMap((one) => one.spec.nodeName ?? []))].sort();
  if (facts.list('Node').length < 2) return 'there is no other node';
  const raised = altered(ground, { version: next });
  const stages = nodes.map(workOn).map((one, i) => (i ? one : { ...one, begin: [raised, ...one.begin] }));
  return member(pod, {
    label: `${now} to ${next}, ${plural(nodes.length, 'node')} in turn`,
    lasting: false,
    wide: true,
    begin: stages[0]!.begin,
    end: [opened],
    stages,
    walk: { all: 'raised', noun: 'node', done: 'was raised', undone: 'could not be emptied' }
  });
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
