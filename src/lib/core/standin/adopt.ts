import { epochMs, stampOf } from '../shared';
import { isReady, makerOf, ownerOf, templateHashLabel, type ApiObject, type Deployment, type Pod, type ReplicaSet } from '../model';
import { attachmentName } from './control/storage/attaching';
import { revisionOf } from './control/workloads/pods';
import { labelOf } from './control/workloads/revisions';
import type { AgentState } from './control/nodes/agent/state';

const isoStamp = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:\d\d)$/;

function shifted(value: unknown, byMs: number): unknown {
  if (typeof value === 'string') return isoStamp.test(value) ? stampOf(Date.parse(value) + byMs - epochMs) : value;
  if (Array.isArray(value)) return value.map((one) => shifted(one, byMs));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, shifted(one, byMs)]));
}

/** An object with all its times moved, so that the moment it was seen at becomes the start of a rehearsal. */
function moved(object: ApiObject, byMs: number): ApiObject {
  const next = { ...object, metadata: shifted(object.metadata, byMs) } as ApiObject & Record<string, unknown>;
  if ('status' in next) (next as Record<string, unknown>).status = shifted(next.status, byMs);
  if (next.kind === 'Event')
    for (const key of ['firstTimestamp', 'lastTimestamp', 'eventTime'])
      if (key in next) (next as Record<string, unknown>)[key] = shifted(next[key], byMs);
  return next;
}

const revisionLabel = 'controller-revision-hash';

const labelled = (pod: Pod, key: string, value: string): Pod => ({
  ...pod,
  metadata: { ...pod.metadata, labels: { ...pod.metadata.labels, [key]: value } }
});

/** A template as a deployment's replica set has it, with the hash that tells its pods. */
function hashed({ spec: { template } }: Deployment, hash: string | undefined): Deployment['spec']['template'] {
  const labels = { ...template.metadata?.labels, ...(hash === undefined ? {} : { [templateHashLabel]: hash }) };
  return { ...template, metadata: { ...template.metadata, labels } };
}

/** Replica sets that the objects don't hold though their pods are there: without them a deployment would make all of its pods anew. */
function replicaSetsLeftOut(objects: readonly ApiObject[], byUid: ReadonlyMap<string, ApiObject>): ReplicaSet[] {
  const deployments = new Map(
    objects.flatMap((one) => (one.kind === 'Deployment' ? [[`${one.metadata.namespace}/${one.metadata.name}`, one]] : []))
  );
  const found = new Map<string, ReplicaSet>();
  for (const pod of objects) {
    if (pod.kind !== 'Pod') continue;
    const owner = pod.metadata.ownerReferences?.find((one) => one.kind === 'ReplicaSet');
    const maker = makerOf(pod);
    const deployment = maker?.kind === 'Deployment' ? deployments.get(`${pod.metadata.namespace}/${maker.name}`) : undefined;
    if (!owner || !deployment || byUid.has(owner.uid)) continue;
    const hash = pod.metadata.labels?.[templateHashLabel];
    const known = found.get(owner.uid);
    found.set(owner.uid, {
      apiVersion: 'apps/v1',
      kind: 'ReplicaSet',
      metadata: {
        name: owner.name,
        namespace: pod.metadata.namespace ?? '',
        uid: owner.uid,
        ...(hash === undefined ? {} : { labels: { [templateHashLabel]: hash } }),
        ownerReferences: [ownerOf(deployment)]
      },
      spec: {
        replicas: (known?.spec.replicas ?? 0) + 1,
        selector: deployment.spec.selector,
        template: hashed(deployment, hash)
      }
    });
  }
  return [...found.values()];
}

/**
 * Objects of a real cluster as the stand-in's loops know them: marks of revisions are ours, attachments
 * bear our names, slices of endpoints are made anew, replica sets that were left out are supposed.
 * @param takenMs when they were seen (ms of the calendar)
 */
export function adopted(objects: readonly ApiObject[], takenMs: number): ApiObject[] {
  const byUid = new Map(objects.map((one) => [one.metadata.uid ?? '', one]));
  const byMs = epochMs - takenMs;
  const supposed = replicaSetsLeftOut(objects, byUid);
  return [...objects, ...supposed].flatMap((given): ApiObject[] => {
    if (given.kind === 'EndpointSlice') return [];
    const object = moved(given, byMs);
    if (object.kind === 'VolumeAttachment')
      return [
        {
          ...object,
          metadata: { ...object.metadata, name: attachmentName(object.spec.source.persistentVolumeName ?? '', object.spec.nodeName) }
        }
      ];
    if (object.kind === 'ReplicaSet' && !object.spec.template && (object.spec.replicas ?? 1) > 0) {
      // Read without its template: it is taken for the one that its deployment has now.
      const above = byUid.get(object.metadata.ownerReferences?.[0]?.uid ?? '');
      const hash = object.metadata.labels?.[templateHashLabel];
      return [above?.kind === 'Deployment' ? { ...object, spec: { ...object.spec, template: hashed(above, hash) } } : object];
    }
    if (object.kind !== 'Pod') return [object];
    const owner = object.metadata.ownerReferences?.find((one) => one.controller) ?? object.metadata.ownerReferences?.[0];
    const maker = owner && byUid.get(owner.uid);
    if (maker?.kind === 'StatefulSet') {
      const label = object.metadata.labels?.[revisionLabel];
      const current =
        label === undefined ||
        maker.status?.updateRevision === undefined ||
        label === maker.status.updateRevision ||
        label === labelOf(maker, maker.spec.template);
      return [current ? labelled(object, revisionLabel, labelOf(maker, maker.spec.template)) : object];
    }
    if (maker?.kind === 'DaemonSet') return [labelled(object, revisionLabel, revisionOf(maker.spec.template))];
    return [object];
  });
}

/** Where the node has got to with a pod that runs already. */
export const runningState = (pod: Pod): AgentState | undefined =>
  pod.status?.phase === 'Running' && isReady(pod)
    ? { uid: pod.metadata.uid ?? '', stage: 'run', failures: 0, restarts: pod.status.containerStatuses?.[0]?.restartCount ?? 0 }
    : undefined;
