import { refOf, type Claim, type Facts } from '../../model';
import { bytesOf } from '../../shared';
import { eventsAbout, latestOf, saidError, saidIn, type Said } from '../../exports';
import type { ClaimPlace } from '../types';
import { classNameOf } from './kinds';
import { faultOf, isOver, mostTelling, type Fault } from './place';

/** Whether a claim has its volume. */
export const isBoundClaim = ({ claim }: ClaimPlace): boolean => claim?.status?.phase === 'Bound';

/** What refuses a claim that isn't bound; undefined where nothing does, or where it was overtaken by a success. */
export function bindingFault(facts: Facts, place: ClaimPlace): Fault | undefined {
  const { claim } = place;
  if (!claim || isBoundClaim(place)) return undefined;
  const said = eventsAbout(facts, claim);
  if (claim.status?.phase === 'Lost') {
    const lost = latestOf(said, ['ClaimLost', 'ClaimMisbound']) ?? {
      object: refOf(claim),
      from: 'status.phase',
      reason: 'Lost',
      message: '',
      count: 1,
      warning: true,
      by: ''
    };
    return { joint: 'volume', said: lost, says: `the volume ${claim.spec.volumeName ?? ''} that it was bound to is gone` };
  }
  const done = latestOf(said, ['ProvisioningSucceeded'])?.atMs ?? -Infinity;
  const refused = said.filter(
    (one) =>
      (one.atMs ?? 0) >= done &&
      ['ProvisioningFailed', 'FailedBinding', 'VolumeMismatch', 'ClaimMisbound', 'ProvisioningPending'].includes(one.reason)
  );
  const telling = mostTelling(refused);
  if (!telling || isOver(facts, telling, 60 * 60_000)) return undefined;
  if (telling.reason === 'FailedBinding' && /no storage class is set/i.test(telling.message)) {
    const none = classNameOf(place) === undefined;
    return {
      joint: none ? 'class' : 'volume',
      said: telling,
      says: none ? 'the claim names no class, and none is the default' : 'no pre-made volume fits, and the claim asks for no class'
    };
  }
  if (telling.reason === 'FailedBinding' || telling.reason === 'VolumeMismatch' || telling.reason === 'ClaimMisbound')
    return faultOf('provision', telling, 'volume');
  return faultOf('provision', telling);
}

/** What refuses to change a bound claim as it asks: to let it grow, or to give its volume other attributes. */
export const changeFault = (facts: Facts, { claim }: ClaimPlace): Fault | undefined =>
  claim?.status?.phase === 'Bound' ? (growthFault(facts, claim) ?? attributesFault(facts, claim)) : undefined;

/** Source: ModifyVolumeStatus v1 core; conditions ModifyVolumeError and ModifyingVolume. */
function attributesFault(facts: Facts, claim: Claim): Fault | undefined {
  const { modifyVolumeStatus: state, conditions = [], currentVolumeAttributesClassName: current } = claim.status ?? {};
  const wanted = claim.spec.volumeAttributesClassName;
  if (!wanted || wanted === current) return undefined;
  const failed = conditions.filter((one) => one.type === 'ModifyVolumeError' && one.status === 'True').map((one) => saidIn(claim, one));
  const events = eventsAbout(facts, claim).filter((one) => one.reason === 'VolumeModifyFailed');
  const telling = mostTelling([...failed, ...events].sort((a, b) => (a.atMs ?? 0) - (b.atMs ?? 0)));
  if (!telling && state?.status !== 'Infeasible') return undefined;
  const says = `its volume can't be changed to the attributes of ${wanted}`;
  const object = refOf(claim);
  const said = telling ?? { object, from: 'status.modifyVolumeStatus', reason: 'Infeasible', message: '', count: 1, warning: true, by: '' };
  return { joint: 'claim', said, says: said.message ? `${says}: ${said.message}` : `${says}: ${said.reason}` };
}

function growthFault(facts: Facts, claim: Claim): Fault | undefined {
  const asked = bytesOf(claim.spec.resources.requests.storage);
  if (asked <= bytesOf(claim.status?.capacity?.storage ?? '0')) return undefined;
  const states = (claim.status as { allocatedResourceStatuses?: Record<string, string> }).allocatedResourceStatuses ?? {};
  const conditions = (claim.status?.conditions ?? [])
    .filter((one) => /ResizeError|ResizeFailed/.test(one.type) && one.status === 'True')
    .map((one) => saidIn(claim, one));
  const events = eventsAbout(facts, claim).filter((one) => /Resize(Failed)?$/.test(one.reason) && one.warning);
  const telling = mostTelling([...conditions, ...events].sort((a, b) => (a.atMs ?? 0) - (b.atMs ?? 0)));
  if (telling) return faultOf('grow', telling);
  const infeasible = Object.entries(states).find(([, one]) => /Infeasible$/.test(one));
  if (!infeasible) return undefined;
  return {
    joint: 'claim',
    said: {
      object: refOf(claim),
      from: 'status.allocatedResourceStatuses',
      reason: infeasible[1],
      message: '',
      count: 1,
      warning: true,
      by: ''
    },
    says: `can't grow to ${claim.spec.resources.requests.storage}: ${infeasible[1]}`
  };
}

/** What refuses a snapshot. */
export function snapshotFault(facts: Facts, { snapshot }: ClaimPlace): Fault | undefined {
  if (!snapshot || snapshot.status?.readyToUse) return undefined;
  const content = facts.get('VolumeSnapshotContent', '', snapshot.status?.boundVolumeSnapshotContentName ?? '');
  const errors = [
    content &&
      (content.status as { error?: { message?: string; time?: string } } | undefined)?.error &&
      saidError(content, 'status.error', (content.status as { error: { message?: string; time?: string } }).error),
    snapshot.status?.error && saidError(snapshot, 'status.error', snapshot.status.error)
  ].filter((one): one is Said => Boolean(one));
  const events = [content, snapshot].flatMap((one) => (one ? eventsAbout(facts, one).filter((two) => two.warning) : []));
  const telling = mostTelling(events.concat(errors));
  return telling && faultOf('snapshot', telling);
}
