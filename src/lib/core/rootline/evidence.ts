import { momentOf } from '../shared';
import { refOf, waitingIn, type ApiObject, type Facts, type Kind, type Pod, type Ref } from '../model';
import { attachmentName } from '../standin';
import type { ClaimPlace, Evidence, Look, Position, State } from './types';

/** A reference in short. */
export const ref = (kind: Kind, namespace: string, name: string): Ref => ({ kind, namespace, name });

/** Evidence of a field of an object. */
export const field = (object: ApiObject | Ref, path: string, value: unknown, atMs?: number): Evidence => ({
  object: 'metadata' in object ? refOf(object) : object,
  field: path,
  value: value === undefined ? 'not set' : typeof value === 'string' ? value : JSON.stringify(value),
  ...(atMs === undefined ? {} : { atMs })
});

export { madeMs } from '../model';

/** The latest event with one of the reasons about an object (of its present life), as evidence. */
export function lastEvent(facts: Facts, object: ApiObject | undefined, reasons: readonly string[]): Evidence | undefined {
  if (!object) return undefined;
  const about = refOf(object);
  let found: Evidence | undefined;
  for (const event of facts.eventsOf(about)) {
    if (!reasons.includes(event.reason ?? '') || (event.involvedObject.uid && event.involvedObject.uid !== object.metadata.uid)) continue;
    const atMs = event.lastTimestamp ? momentOf(event.lastTimestamp) : 0;
    if (found && (found.atMs ?? 0) > atMs) continue;
    found = { object: about, event: { reason: event.reason ?? '', message: event.message ?? '', count: event.count ?? 1 }, atMs };
  }
  return found;
}

/** What there is of a list of evidence. */
export const compact = (list: readonly (Evidence | undefined)[]): Evidence[] => list.filter((one): one is Evidence => one !== undefined);

/** A look with only what is given. */
export const look = (state: State, label: string, says: string, more: Partial<Omit<Look, 'state' | 'label' | 'says'>> = {}): Look => ({
  state,
  label,
  says,
  objects: [],
  evidence: [],
  ...more
});

/** The driver behind a claim: of its volume where it has one, else of its class. */
export function driverOfPlace(facts: Facts, place: ClaimPlace): string | undefined {
  const volume = place.volume ?? facts.get('PersistentVolume', '', place.claim?.spec.volumeName ?? '');
  return volume?.spec.csi?.driver ?? place.class?.provisioner;
}

/** Whether a claim has its volume. */
export const isBound = ({ claim }: ClaimPlace): boolean => claim?.status?.phase === 'Bound';

/** The same of whoever makes pods, or of the replica sets that do it for a deployment. */
export function lastOfMaker(facts: Facts, maker: ApiObject | undefined, reasons: readonly string[]): Evidence | undefined {
  if (!maker) return undefined;
  const between = maker.kind === 'Deployment' ? facts.ownedBy(maker.metadata.uid ?? '-').filter((one) => one.kind === 'ReplicaSet') : [];
  return [maker, ...between].map((one) => lastEvent(facts, one, reasons)).find((one) => one);
}

/** Whether a claim's volume is attached where the member stands. A dump of a real cluster names its attachments in its own way. */
export function isAttached({ facts, pod }: Position, { claim }: ClaimPlace): boolean {
  const node = pod?.spec.nodeName;
  const volume = claim?.spec.volumeName;
  if (!node || !volume) return false;
  if (facts.knowsProvider) return facts.get('VolumeAttachment', '', attachmentName(volume, node))?.status?.attached === true;
  return facts
    .list('VolumeAttachment')
    .some((one) => one.spec.nodeName === node && one.spec.source.persistentVolumeName === volume && one.status?.attached);
}

/** What a pod's first waiting container gives as reason. */
export const waitingOf = waitingIn;

/** Whether a pod's containers have been started. */
export const isRunning = (pod: Pod | undefined): boolean =>
  pod?.status?.phase === 'Running' && (pod.status.containerStatuses ?? []).every((one) => one.state?.running !== undefined);

/** Whole GiB, with thousands apart. */
export const gib = (bytes: number): string => `${Math.floor(bytes / 2 ** 30).toLocaleString('en')} GiB`;
