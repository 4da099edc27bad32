import { stampOf } from '../../../shared';
import { type Asset, type Claim, type Facts } from '../../../model';
import { accountFault, driverAnswers } from '../../provider/driver';
import { driverCard, parameterFault } from '../../provider/drivers';
import { gateOpen } from '../../provider/feature-gates';
import { idOf, splitKey, withCondition, type ClusterAccess, type Loop } from '../loop';
import { driverOfClaim, DriverCalls } from './driver-call';

type Refused = readonly [code: string, message: string];

/** What a claim's class of attributes asks of its driver, or why that can't be had. */
export interface Attributes {
  readonly parameters?: Readonly<Record<string, string>>;
  readonly fault?: Refused;
}

/** Source: the cluster API's "Volume Attributes Classes"; codes: the Container Storage Interface, ControllerModifyVolume. */
export function attributesOf(facts: Facts, claim: Claim, driver: string): Attributes {
  const name = claim.spec.volumeAttributesClassName;
  if (!name || !gateOpen(facts, 'VolumeAttributesClass')) return {};
  const one = facts.get('VolumeAttributesClass', '', name);
  if (!one) return { fault: ['FAILED_PRECONDITION', `The class of attributes ${name} doesn't exist.`] };
  if (one.driverName !== driver)
    return { fault: ['FAILED_PRECONDITION', `The class of attributes ${name} is for ${one.driverName}; the volume belongs to ${driver}.`] };
  const card = driverCard(driver);
  const wrong = card && parameterFault(card, one.parameters, card.mutable);
  if (wrong) return { fault: ['INVALID_ARGUMENT', wrong] };
  return one.parameters ? { parameters: one.parameters } : {};
}

const calls = new DriverCalls('modifyVolume');

type ModifyStatus = NonNullable<NonNullable<Claim['status']>['modifyVolumeStatus']>;

/** A bound claim that names other attributes than its volume has; undefined when it has what it names. */
export function wantedAttributes(claim: Claim | undefined): string | undefined {
  if (claim?.status?.phase !== 'Bound') return undefined;
  const { volumeAttributesClassName: wanted } = claim.spec;
  return wanted && wanted !== claim.status.currentVolumeAttributesClassName ? wanted : undefined;
}

/** What keeps a bound claim from getting the attributes that it names now; undefined when nothing does. */
export function attributesFault(facts: Facts, claim: Claim): Attributes['fault'] {
  const driver = driverOfClaim(facts, claim);
  if (!driver) return ['FAILED_PRECONDITION', 'No driver stands behind the volume.'];
  const { fault } = attributesOf(facts, claim, driver);
  if (fault) return fault;
  if (!driverAnswers(facts, driver)) return ['UNAVAILABLE', `${driver} doesn't answer.`];
  const forbidden = accountFault(facts, driver, 'grow');
  return forbidden === undefined ? undefined : ['PERMISSION_DENIED', `${forbidden}.`];
}

function say(world: ClusterAccess, claim: Claim, target: string, status: ModifyStatus['status'], message: string): void {
  const others = claim.status?.conditions?.filter((one) => one.type !== 'ModifyingVolume' && one.type !== 'ModifyVolumeError');
  const type = status === 'InProgress' ? 'ModifyingVolume' : 'ModifyVolumeError';
  world.put({
    ...claim,
    status: {
      ...claim.status,
      modifyVolumeStatus: { targetVolumeAttributesClassName: target, status },
      conditions: withCondition(others, { type, status: 'True', message }, stampOf(world.nowMs))
    }
  });
}

/** What was begun and isn't wanted any more is forgotten. */
function forget(world: ClusterAccess, claim: Claim, current: string | undefined): void {
  const key = idOf(claim);
  calls.end(world, key);
  world.end(`PersistentVolumeClaim ${key}`, 'modifying');
  const { modifyVolumeStatus, conditions: all, ...status } = claim.status ?? {};
  if (!modifyVolumeStatus && current === status.currentVolumeAttributesClassName) return;
  const conditions = all?.filter((one) => one.type !== 'ModifyingVolume' && one.type !== 'ModifyVolumeError') ?? [];
  world.put({
    ...claim,
    status: {
      ...status,
      ...(conditions.length ? { conditions } : {}),
      ...(current === undefined ? {} : { currentVolumeAttributesClassName: current })
    }
  });
}

function modify(world: ClusterAccess, claim: Claim, wanted: string): void {
  const key = idOf(claim);
  const call = calls.of(world, key);
  const fault = attributesFault(world.store, claim);
  if (fault) {
    if (
      call?.retryMs !== undefined &&
      call.retryMs > world.nowMs &&
      claim.status?.modifyVolumeStatus?.targetVolumeAttributesClassName === wanted
    )
      return world.after(call.retryMs - world.nowMs, key, true);
    const [code, message] = fault;
    world.end(`PersistentVolumeClaim ${key}`, 'modifying');
    say(world, claim, wanted, code === 'INVALID_ARGUMENT' ? 'Infeasible' : 'Pending', message);
    world.event(claim, 'VolumeModifyFailed', `${code}: ${message}`, 'Warning');
    return calls.failed(world, key);
  }
  // What is under way for another class than the one named now begins anew.
  const mine =
    claim.status?.modifyVolumeStatus?.status === 'InProgress' && claim.status.modifyVolumeStatus.targetVolumeAttributesClassName === wanted;
  if (call?.dueMs === undefined || !mine) {
    world.begin(`PersistentVolumeClaim ${key}`, 'modifying');
    say(world, claim, wanted, 'InProgress', `The driver changes the volume to the attributes of ${wanted}.`);
    world.event(claim, 'VolumeModify', `${driverOfClaim(world.store, claim)} changes the volume to the attributes of ${wanted}.`);
    return calls.begin(world, key, world.duration('modifying', `${key}#${wanted}`), { failures: 0 });
  }
  if (call.dueMs > world.nowMs) return world.after(call.dueMs - world.nowMs, key);
  const volume = world.store.get('PersistentVolume', '', claim.spec.volumeName ?? '')!;
  const asset: Asset | undefined = world.store.get('Asset', '', volume.spec.csi?.volumeHandle ?? '');
  const { parameters } = attributesOf(world.store, claim, volume.spec.csi?.driver ?? '');
  if (asset) world.put({ ...asset, spec: { ...asset.spec, parameters: { ...asset.spec.parameters, ...parameters } } });
  world.put({ ...volume, spec: { ...volume.spec, volumeAttributesClassName: wanted } });
  forget(world, claim, wanted);
  world.event(claim, 'VolumeModifySuccessful', `The volume has the attributes of ${wanted} now; no pod was restarted.`);
}

/** Attributes of volumes, changed while they are in use. Source: as above. */
export const modifying: Loop = {
  id: 'modifying',
  watches: {
    PersistentVolumeClaim: (now, before) =>
      now && (wantedAttributes(now) !== wantedAttributes(before) || (now.status?.modifyVolumeStatus && now.spec !== before?.spec))
        ? [idOf(now)]
        : [],
    VolumeAttributesClass: (now, _before, store) =>
      now
        ? store
            .list('PersistentVolumeClaim')
            .filter((one) => wantedAttributes(one) === now.metadata.name)
            .map(idOf)
        : []
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const claim = world.store.get('PersistentVolumeClaim', namespace, name);
    if (claim?.status?.phase !== 'Bound' || claim.metadata.deletionTimestamp || !gateOpen(world.store, 'VolumeAttributesClass'))
      return calls.end(world, key);
    const wanted = wantedAttributes(claim);
    if (wanted) modify(world, claim, wanted);
    else forget(world, claim, claim.status.currentVolumeAttributesClassName);
  }
};
