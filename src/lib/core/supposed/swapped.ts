import { bytesOf } from '../shared';
import { classOf, refOf, type Claim, type Facts, type Pod } from '../model';
import {
  callFault,
  claimShut,
  copyOf,
  driverAnswers,
  faultSentence,
  filled,
  madeAnew,
  makingFault,
  seekPlace,
  siblingsOf
} from '../standin';
import { HandedOut, provision, type Ground } from './volumes';

/**
 * What keeps a claim that is put in the place of another from getting its volume, or those that mount it from coming back, as things stand:
 * sentences without their full stop. What the old one had is free again where it goes with its claim.
 * @param old the claim that goes
 * @param sent the one that takes its place, as it is sent
 * @param pods those that stop, and are made anew
 */
export function swapWaits(facts: Facts, old: Claim, sent: Claim, pods: readonly Pod[]): string[] {
  const namespace = old.metadata.namespace ?? '';
  const store = copyOf(facts, new Set([namespace]));
  const handedOut = new HandedOut(facts);
  for (const pod of pods) store.place(pod, undefined);
  store.place(old, undefined);
  const volume = facts.get('PersistentVolume', '', old.spec.volumeName ?? '');
  const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
  if (volume && volume.spec.persistentVolumeReclaimPolicy === 'Delete') {
    store.place(volume, undefined);
    if (asset) handedOut.take(asset.spec.backend, asset.spec.zone, bytesOf(asset.spec.size), -1);
  }
  const claim = filled({ ...sent, status: { phase: 'Pending' } } as Claim, facts) as Claim;
  const found: string[] = [];
  const refused = claimShut(store, claim);
  if (refused) found.push(refused.message);
  store.place(undefined, claim);
  const driver = classOf(facts, claim.spec)?.provisioner;
  if (driver !== undefined && facts.knowsProvider) {
    if (!driverAnswers(facts, driver)) found.push(`${driver} doesn't answer: no controller of it is ready`);
    else {
      const denied = callFault(facts, driver, 'create');
      if (denied !== undefined) found.push(denied);
    }
  }
  const ground: Ground = { store, there: facts, handedOut, comes: () => false, brings: () => false, claims: [], by: refOf(claim) };
  const [first] = pods;
  let node;
  if (first) {
    const next = madeAnew(store, first);
    const shut = makingFault(store, next);
    if (shut !== undefined) found.push(`${next.metadata.name} can't be made anew: ${shut}`);
    store.place(undefined, next);
    const sought = seekPlace(store, next, siblingsOf(store, next));
    ({ node } = sought);
    if (!node) found.push(`${next.metadata.name} finds no place: of ${store.nodes().length} nodes ${faultSentence(sought.faults)}`);
  }
  if (!found.length) provision(ground, claim, node);
  for (const { gets, says } of ground.claims) if (says !== undefined && (gets === 'refused' || gets === 'no-room')) found.push(says);
  return found;
}
