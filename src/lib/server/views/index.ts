import { covered } from './covered';
import { scopeIn, scopeRows } from '$core/exports';
import { wrongIn } from './export-levels';
import { bytesOf } from '$core/shared';
import { changeSheet, removalSheet, restoreSheet } from '$core/change';
import { inSendingOrder, asManifest, writeManifests } from '$core/manifest';
import { kindEntries, zoneOf, type ApiObject, type Kind, type Ref } from '$core/model';
import { designClass, type ClassNeeds } from '$core/briefs';
import { provedWorkload, tryClass, workloadNamed } from '$core/proofs';
import { lineSentence, rootLine } from '$core/rootline';
import { emptyingSheet, operatedKinds, resolve, sentByPerson } from '$core/standin';
import { cardView, supposedView } from './cards';
import { claimsView, claimView, growSetYaml, type ClaimsAsk } from './claims';
import { acceptedOf, findingsOf, mendedYaml } from './findings';
import { fitNeedsView, fitView } from './fit';
import { groundView } from './ground';
import { stackOf, touchedAt } from './levels';
import { backupsView, besideView } from './backups';
import { bundleParts, toldOf } from './bundle';
import { drillableView, drillView, foreseenView } from './drills';
import { linkedView, reachView } from './linked';
import { membersView } from './members';
import { moveStepView, moveTryView, moveView } from './moving';
import { operatorsView, operatorYaml } from './operators';
import { ephemeralView, persistView } from './persist';
import { remedyView } from './remedies';
import { blueprintView } from './blueprint';
import { briefView } from './brief';
import { workloadsOf, type KeptProofs, type Scene } from './scene';
import { reportParts } from './report';
import { calculationsView, classDraftView, measuredView, movedView, nodesDraftView, sizedView, sizingDraftView, takenView } from './sizing';
import { takenNodesView } from './sizing-nodes';
import { cleanUpView } from './clean-up';
import { costView, pricesView } from './cost';
import { assetsView, supplyView } from './supply';
import { tapeView } from './tape';
import { logsView, workloadView } from './workload';

const ofProvider = new Set<Kind>([
  'Ground',
  'Link',
  'Registry',
  'Backend',
  'Identity',
  'Disk',
  'Asset',
  'Held',
  'Restoring',
  'Process',
  'Ask',
  'Outage',
  'LoginProvider',
  'Emptying',
  'CheckSettings',
  'EngineCard',
  'DriverCard',
  'Tunnel'
]);
const ofPlace = new Set<Kind>([
  'Ground',
  'Link',
  'Registry',
  'Backend',
  'Identity',
  'Node',
  'Disk',
  'Asset',
  'Outage',
  'LoginProvider',
  'Emptying',
  'CheckSettings',
  'EngineCard',
  'DriverCard',
  'Tunnel'
]);

/** What people sent and what still stands, in the order of sending. */
const manifestsOf = ({ facts }: Scene, namespace?: string): ApiObject[] =>
  inSendingOrder(
    kindEntries
      .filter((entry) => !ofPlace.has(entry.kind) && !entry.derived)
      .flatMap((entry) => facts.list(entry.kind) as ApiObject[])
      .filter(
        (one) =>
          sentByPerson(one) &&
          (namespace === undefined || one.metadata.namespace === namespace || (one.kind === 'Namespace' && one.metadata.name === namespace))
      )
      .map(asManifest)
  );

const withoutValues = (objects: readonly ApiObject[]): ApiObject[] => objects.map(covered);

/**
 * Objects with their versions: the number of the change that made each what it is. A world doesn't write them into its objects (they would
 * make every change a change of the metadata, too); what was read of a real cluster has its own.
 * @param standing the same objects as they stand in the store, place by place
 */
function versioned({ history, facts }: Scene, objects: readonly ApiObject[], standing: readonly ApiObject[]): ApiObject[] {
  const versions = new Map<ApiObject, number>();
  const wanted = new Set(standing);
  for (let i = history.countAt(facts.nowMs); i > 0 && versions.size < wanted.size; i -= 1) {
    const { after } = history.changes[i - 1]!;
    if (after && wanted.has(after)) versions.set(after, i);
  }
  return objects.map((object, i) => {
    const version = versions.get(standing[i]!);
    return version === undefined
      ? object
      : ({ ...object, metadata: { ...object.metadata, resourceVersion: String(version) } } as ApiObject);
  });
}

/** Whether the values of secrets go along; they don't unless it is asked for. */
type Cover = 'keep' | 'drop' | undefined;

/** All that can be asked of a rehearsal at its clock's head. Each is a pure reading; none changes the world. */
export const queries = {
  objects(
    scene: Scene,
    { kind, namespace, name, secrets }: { kind?: Kind; namespace?: string; name?: string; secrets?: Cover }
  ): ApiObject[] {
    const found = (kind ? [kind] : kindEntries.map((entry) => entry.kind)).flatMap((one) =>
      (scene.facts.list(one, namespace) as ApiObject[]).filter((object) => name === undefined || object.metadata.name === name)
    );
    return versioned(scene, secrets === 'keep' ? found : withoutValues(found), found);
  },
  /** The cluster's objects as somebody with access to it would export them: nothing of the provider. */
  dump(scene: Scene, { secrets }: { secrets?: Cover }) {
    const all = kindEntries.filter((entry) => !ofProvider.has(entry.kind)).flatMap((entry) => scene.facts.list(entry.kind) as ApiObject[]);
    return { apiVersion: 'v1', kind: 'List', items: versioned(scene, secrets === 'keep' ? all : withoutValues(all), all) };
  },
  rootLine(scene: Scene, ref: Ref) {
    const line = rootLine(scene.facts, ref);
    return line && { ...line, sentence: lineSentence(line) };
  },
  resolve: (scene: Scene, { namespace, name }: { namespace: string; name: string }) => resolve(scene.facts, namespace, name),
  /** The values of secrets are left out unless they are asked for; their keys stay. */
  manifests(scene: Scene, { namespace, secrets }: { namespace?: string; secrets?: Cover }) {
    const all = manifestsOf(scene, namespace);
    const objects = secrets === 'keep' ? all : withoutValues(all);
    return {
      secrets: objects.filter((one) => one.kind === 'Secret').length,
      count: objects.length,
      yaml: writeManifests(objects),
      items: objects.map(({ kind, metadata }) => ({ kind, namespace: metadata.namespace ?? '', name: metadata.name })),
      accepted: acceptedOf(scene, withoutValues(all))
    };
  },
  /** What a bundle for handing over is made of, but for what was tried; without values of secrets. */
  bundle: (scene: Scene, { namespace }: { namespace?: string | undefined }) =>
    bundleParts(scene, withoutValues(manifestsOf(scene, namespace)), namespace),
  /** What a report says of one workload, but for what was tried. */
  report: (scene: Scene, { namespace, workload }: { namespace: string; workload: string }) =>
    reportParts(scene, { namespace, name: workload }, toldOf(scene, withoutValues(manifestsOf(scene, namespace)))),
  /** What the checker says of what stands in a namespace. */
  standingFindings: (scene: Scene, { namespace }: { namespace: string }) => findingsOf(scene, withoutValues(manifestsOf(scene, namespace))),
  standingMend: (scene: Scene, { namespace, nth }: { namespace: string; nth: number }) =>
    mendedYaml(scene, withoutValues(manifestsOf(scene, namespace)), nth),
  changeSheet: (scene: Scene, { objects, replace }: { objects: readonly ApiObject[]; replace?: readonly Ref[] }) =>
    changeSheet(scene.facts, objects, replace),
  emptying: (scene: Scene, { node, losesDirectories }: { node: string; losesDirectories: boolean }) =>
    emptyingSheet(scene.facts, node, losesDirectories),
  restore: (scene: Scene, ask: { namespace: string; claim: string; snapshot: string }) => restoreSheet(scene.facts, ask),
  removal: (scene: Scene, { ref, ...how }: { ref: Ref; keepMembers: boolean; force: boolean; foreground: boolean }) =>
    removalSheet(scene.facts, ref, how),
  prove(scene: Scene, { namespace, set: name, messages }: { namespace: string; set: string; messages?: number }) {
    const workload = workloadNamed(scene.facts, namespace, name);
    const changes = scene.history.changes.slice(0, scene.history.countAt(scene.facts.nowMs));
    return (
      workload &&
      provedWorkload({ facts: scene.facts, workload, changes, fork: scene.fork, ...(messages === undefined ? {} : { messages }) })
    );
  },
  backups: backupsView,
  besideManifests: besideView,
  fitNeeds: fitNeedsView,
  fit: fitView,
  linked: linkedView,
  reach: reachView,
  supposed: (scene: Scene, _: object) => supposedView(scene),
  card: cardView,
  calculations: (scene: Scene, _: object) => calculationsView(scene),
  sized: sizedView,
  sizingTaken: takenView,
  cleanUp: cleanUpView,
  prices: (scene: Scene, _: object) => pricesView(scene),
  cost: costView,
  sizingNodes: takenNodesView,
  sizingMoved: movedView,
  sizingMeasured: measuredView,
  sizingDraft: sizingDraftView,
  nodesDraft: nodesDraftView,
  classDraft: classDraftView,
  moves: moveView,
  moveTry: moveTryView,
  moveStep: moveStepView,
  drillable: drillableView,
  drill: drillView,
  foreseen: foreseenView,
  /** When what the proofs of some sets speak of last changed. */
  touched: (scene: Scene, { sets }: { sets: readonly { namespace: string; name: string }[] }) => touchedAt(scene, sets),
  sets: ({ facts }: Scene, _: object) => workloadsOf(facts),
  workload: workloadView,
  logs: logsView,
  blueprint: blueprintView,
  brief: briefView,
  operators: operatorsView,
  operatorYaml,
  stack: (scene: Scene, { proofs }: { proofs: KeptProofs }) => stackOf(scene, proofs),
  wrong: ({ facts }: Scene, _: object) => wrongIn(facts),
  scope: ({ facts }: Scene, _: object) => scopeRows(facts, scopeIn(facts)),
  estate(scene: Scene, { proofs }: { proofs: KeptProofs }) {
    const { facts } = scene;
    const nodes = facts.list('Node');
    const total = facts
      .list('Backend')
      .reduce((sum, one) => sum + one.spec.zones.reduce((all, zone) => all + bytesOf(zone.capacity), 0), 0);
    // Shared file systems are elastic: they have no size that could be handed out.
    const sized = facts.list('Backend').filter((one) => one.spec.fileSystem === undefined);
    const taken = sized.reduce(
      (sum, one) => sum + [...facts.usedOf(one.metadata.name).values()].reduce((all, zone) => all + zone.sizeBytes, 0),
      0
    );
    return {
      ...stackOf(scene, proofs),
      clock: scene.clock,
      nodes: nodes.length,
      zones: new Set(nodes.map(zoneOf)).size,
      totalBytes: total,
      takenBytes: taken,
      volumeBytes: facts.list('PersistentVolume').reduce((sum, one) => sum + bytesOf(one.spec.capacity.storage), 0),
      overdue: tapeView(scene).overdue
    };
  },
  ground: (scene: Scene, _: object) => groundView(scene),
  supply: (scene: Scene, _: object) => supplyView(scene),
  claims: (scene: Scene, ask: ClaimsAsk) => claimsView(scene, ask),
  growSet: growSetYaml,
  remedy: remedyView,
  assets: assetsView,
  design: ({ facts }: Scene, { needs }: { needs: ClassNeeds }) => {
    const design = designClass(facts, needs);
    return { ...design, yaml: design.class ? writeManifests([design.class]) : '' };
  },
  /** Tries a class on a fork of this moment. */
  tryOut: (scene: Scene, { class: name }: { class: string }) => tryClass(scene.fork(), name),
  claim: claimView,
  persist: persistView,
  ephemeral: ephemeralView,
  members: membersView,
  tape: (scene: Scene, _: object) => tapeView(scene),
  /** Names of objects that contain a text, for the find box. */
  find: ({ facts }: Scene, { text }: { text: string }) => {
    const wanted = text.toLowerCase();
    const kinds: Kind[] = [
      'StatefulSet',
      'Deployment',
      'Pod',
      'PersistentVolumeClaim',
      'StorageClass',
      'CSIDriver',
      'Node',
      'Service',
      'VolumeSnapshot',
      'PersistentVolume',
      'Backend',
      'Pool',
      'Disk',
      'Identity',
      'Registry',
      ...operatedKinds
    ];
    return kinds
      .flatMap((kind) =>
        (facts.list(kind) as ApiObject[])
          .filter((one) => one.metadata.name.toLowerCase().includes(wanted))
          .slice(0, 8)
          .map((one) => ({ kind, namespace: one.metadata.namespace ?? '', name: one.metadata.name }))
      )
      .slice(0, 24);
  }
};

export type Queries = typeof queries;
export type QueryName = keyof Queries;
export type { Scene } from './scene';
