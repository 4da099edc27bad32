import { plural } from '../../shared';
import { keyOf, refOf, type ApiObject, type Asset, type Facts, type Kind, type Ref } from '../../model';
import { damage, writeFault, writeRow } from '../engines/little-store';
import { forceAway } from '../engines/left-behind';
import { poolDriver } from '../provider/pool';
import type { ClusterAccess } from '../control/loop';
import type { Action } from '../action';
import { withPlaces } from './addresses';
import { removeForeground } from './foreground';
import { join, joinFault } from './join';
import { plan, planSteps, type Refusal, type Verdict } from './plan';
import { restore, restoreRefusal } from './restore';
import { heldFor } from './servers';

export type { Refusal } from './plan';

/** Why something can't be taken away although it is there. */
function heldBack(facts: Facts, object: ApiObject): { message: string; remedy: string } | undefined {
  const { kind, metadata } = object;
  if (kind === 'CSIDriver' || kind === 'Pool') {
    const driver = kind === 'Pool' ? poolDriver : metadata.name;
    const volumes = facts.list('PersistentVolume').filter((one) => one.spec.csi?.driver === driver);
    if (!volumes.length) return undefined;
    const names = volumes.slice(0, 3).map((one) => one.metadata.name);
    return {
      message: `${plural(volumes.length, 'volume')} of ${driver} ${volumes.length === 1 ? 'exists' : 'exist'} (${names.join(', ')}${volumes.length > 3 ? ', …' : ''}); without it nobody could detach or delete them.`,
      remedy: 'Take their claims away first, and the volumes that are kept.'
    };
  }
  if (kind === 'Asset') {
    const volume = facts.list('PersistentVolume').find((one) => one.spec.csi?.volumeHandle === metadata.name);
    if (volume)
      return {
        message: `${volume.metadata.name} names the asset ${metadata.name}.`,
        remedy: 'Take the claim away, or the volume, instead.'
      };
    if (object.status?.attachedTo.length)
      return { message: `${metadata.name} is attached to ${object.status.attachedTo.join(', ')}.`, remedy: 'Wait until it is detached.' };
  }
  return undefined;
}

/** Whether something stands there to be taken away. A pod that is being deleted can still be forced. */
export function removalRefusal(facts: Facts, ref: Ref, force = false): Refusal | undefined {
  const object = facts.get(ref.kind, ref.namespace, ref.name);
  const at = { object: keyOf(ref) };
  if (!object) return { code: 'not-found', message: `${keyOf(ref)} doesn't exist.`, remedy: 'Check kind, namespace and name.', at };
  if (force && object.kind === 'Pod') return undefined;
  if (object.metadata.deletionTimestamp)
    return { code: 'not-sendable', message: `${keyOf(ref)} is being deleted already.`, remedy: 'Run the clock until it is gone.', at };
  const held = heldBack(facts, object);
  return held && { code: 'still-used', ...held, at };
}

/** All that keeps an action from being taken; nothing when it can be. */
export function refusalsOf(facts: Facts, action: Action): readonly Refusal[] {
  switch (action.type) {
    case 'send':
      return plan(facts, action.objects, action.replace).flatMap((one) => one.refusals);
    case 'remove': {
      const refusal = removalRefusal(facts, action.ref, action.force);
      return refusal ? [refusal] : [];
    }
    case 'write': {
      const fault = writeFault(facts, facts.get('Pod', action.namespace, action.pod));
      const at = { object: `Pod ${action.namespace}/${action.pod}` };
      return fault ? [{ code: 'cannot-write', message: `Nothing can be written: ${fault}.`, remedy: 'See its root line.', at }] : [];
    }
    case 'damage': {
      const at = { object: `PersistentVolumeClaim ${action.namespace}/${action.claim}` };
      if (claimAsset(facts, action.namespace, action.claim)?.status?.store) return [];
      return [{ code: 'cannot-write', message: `Nothing lies in ${action.claim} yet.`, remedy: 'Let a member write first.', at }];
    }
    case 'restore': {
      const refusal = restoreRefusal(facts, action);
      return refusal ? [refusal] : [];
    }
    case 'ask': {
      const { namespace, id, ask } = action;
      const at = { object: `Ask ${namespace}/${id}` };
      if (facts.get('Ask', namespace, id))
        return [{ code: 'cannot-ask', message: `There is an ask ${id} already.`, remedy: 'Give it another name.', at }];
      const odd = [ask.op.place, ask.op.key].find((one) => one !== undefined && one in {});
      if (odd !== undefined)
        return [
          {
            code: 'cannot-ask',
            message: `"${odd}" is a name that no engine of the stand-in can keep.`,
            remedy: 'Give it another name.',
            at
          }
        ];
      const known = facts.list('Process', namespace).some((one) => one.spec.workload === ask.workload);
      if (known) return [];
      return [
        {
          code: 'cannot-ask',
          message: `Nothing of ${namespace}/${ask.workload} runs that could answer.`,
          remedy: 'Run the clock until a member is ready, or see its root line.',
          at
        }
      ];
    }
    case 'crash': {
      if (facts.get('Process', action.namespace, action.pod)) return [];
      const at = { object: `Pod ${action.namespace}/${action.pod}` };
      return [{ code: 'not-found', message: `No program of an engine runs in ${action.pod}.`, remedy: 'Choose a member that runs.', at }];
    }
    case 'join': {
      const fault = joinFault(facts, action.with);
      return fault ? [fault] : [];
    }
  }
}

/** The asset behind a claim. */
export function claimAsset(facts: Facts, namespace: string, name: string): Asset | undefined {
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  return facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
}

function orphan(world: ClusterAccess, owner: ApiObject): void {
  for (const object of world.store.ownedBy(owner.metadata.uid ?? '')) {
    const ownerReferences = object.metadata.ownerReferences?.filter((one) => one.uid !== owner.metadata.uid);
    world.put({
      ...object,
      metadata: { ...object.metadata, ownerReferences: ownerReferences?.length ? ownerReferences : undefined }
    } as ApiObject);
  }
}

/**
 * Carries out a person's action, or refuses it as a whole.
 * @param planned what sending it does, where that was found out just now; nothing has changed since
 * @returns the refusals; with any of them nothing was written
 */
export function* admitSteps(world: ClusterAccess, action: Action, planned?: readonly Verdict[]): Generator<void, readonly Refusal[]> {
  if (action.type === 'send') return yield* send(world, action, planned);
  const refusals = refusalsOf(world.store, action);
  if (refusals.length) return refusals;
  switch (action.type) {
    case 'write':
      writeRow(world, world.store.get('Pod', action.namespace, action.pod)!, action.key, action.value);
      break;
    case 'damage':
      damage(world, claimAsset(world.store, action.namespace, action.claim)!);
      break;
    case 'restore':
      restore(world, action);
      break;
    case 'ask':
      world.put({
        apiVersion: 'standin.example/v1',
        kind: 'Ask',
        metadata: { name: action.id, namespace: action.namespace },
        spec: action.ask
      });
      break;
    case 'crash':
      world.say(`Pod ${action.namespace}/${action.pod}`, 'ends without warning', true);
      world.drop({ kind: 'Process', namespace: action.namespace, name: action.pod });
      break;
    case 'join':
      join(world, action);
      break;
    case 'remove':
      for (const ref of [action.ref, ...(action.more ?? [])]) {
        const object = world.store.find(ref);
        if (object && action.keepMembers) orphan(world, object);
        if (object?.kind === 'Pod' && action.force) forceAway(world, object);
        else if (object && action.foreground && !action.keepMembers) removeForeground(world, object);
        else world.remove(ref);
      }
  }
  return [];
}

/** What is marked for deletion and goes by its own loop. */
const endedByLoops: readonly Kind[] = ['Pod', 'Namespace', 'PersistentVolumeClaim', 'PersistentVolume'];

/** So many objects are planned, and written, between two turns of others. */
const objectsAStep = 150;

function* send(
  world: ClusterAccess,
  { objects, replace = [] }: Action & { type: 'send' },
  planned?: readonly Verdict[]
): Generator<void, readonly Refusal[]> {
  const verdicts = planned ?? (yield* planSteps(world.store, objects, replace));
  const refusals = verdicts.flatMap((one) => one.refusals);
  if (refusals.length) return refusals;
  for (const ref of replace) {
    const object = world.store.find(ref);
    if (!object) continue;
    orphan(world, object);
    world.remove(ref);
  }
  const held = verdicts.filter((one) => one.outcome === 'held');
  const sent = new Map(held.length ? objects.map((one) => [keyOf(refOf(one)), one]) : []);
  for (const { ref, waitsFor } of held) {
    const object = sent.get(keyOf(ref));
    if (object && waitsFor) world.put(heldFor(object, waitsFor));
  }
  let count = 0;
  // What the others of the batch ask for by number isn't handed out.
  const services = verdicts.flatMap(({ after }) =>
    after?.kind === 'Service' && after.spec.ports?.some((one) => one.nodePort) ? [after] : []
  );
  for (const { outcome, after } of verdicts) {
    if (outcome === 'untouched' || !after) continue;
    const put = world.put(after.kind === 'Service' ? withPlaces(world, after, services) : after);
    const free = put.metadata.deletionTimestamp !== undefined && !put.metadata.finalizers?.length;
    if (free && (!endedByLoops.includes(put.kind) || put.metadata.deletionGracePeriodSeconds === 0)) world.drop(refOf(put));
    if ((count += 1) % objectsAStep === 0) yield;
  }
  return [];
}
