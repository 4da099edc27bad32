import { differences, same, type Difference, type Problem } from '../../shared';
import { entryOf, keyOf, refOf, type ApiObject, type Container, type Facts, type Kind, type KindMap, type Ref } from '../../model';
import { inSendingOrder } from '../../manifest';
import { clusterVersion, driverCard, versionFault } from '../provider/drivers';
import { imageCard, imageTag } from '../provider/images';
import { cardFault, withLikeness } from '../provider/cards';
import { deadFault } from '../provider/pool';
import { nodePortsCarried } from './addresses';
import { claimFinalizer, filled, volumeFinalizer } from './defaults';
import { immutableFaults } from './immutable';
import { isAdmitted, operatorFault, operatorOf } from '../provider/operators';
import { databaseFault } from './databases';
import { Coming } from './limits';
import { meetingFaults, type Batch } from './meeting';
import { serverWait } from './servers';

/** Why an object is refused. */
export type Refusal = Problem;

/** What sending one object would do. */
export interface Verdict {
  readonly ref: Ref;
  readonly outcome: 'new' | 'altered' | 'replaced' | 'untouched' | 'refused' | 'held';
  /** What the object's server waits for, when it is held: it is sent again by itself. */
  readonly waitsFor?: string;
  readonly before?: ApiObject;
  /** How it would stand; missing when refused. */
  readonly after?: ApiObject;
  readonly fields: readonly Difference[];
  readonly refusals: readonly Refusal[];
}

/** Marks an object as sent by a person, so that it is taken out again with the manifests. */
export const personMark = { manager: 'person', operation: 'Apply' } as const;

/** Whether a person sent the object (and no control loop made it). */
export const sentByPerson = (object: ApiObject): boolean =>
  ((object.metadata as { managedFields?: { manager?: string }[] }).managedFields ?? []).some((one) => one.manager === personMark.manager);

/** Finalizers that the cluster sets and takes off itself. */
const ownFinalizers: readonly string[] = [claimFinalizer, volumeFinalizer];
const keptMark = /^(pv|volume)\.kubernetes\.io\//;

/** Kinds whose status may be sent with them. Source: the cluster API's reference; nodes are registered whole. */
const withOwnStatus: readonly Kind[] = ['Node'];

/** A status isn't sent: the cluster alone writes it. Source: the cluster API's conventions, "Spec and Status". */
function withoutStatus(object: ApiObject): ApiObject {
  if (!('status' in object) || object.status === undefined || withOwnStatus.includes(object.kind)) return object;
  const { status: _, ...rest } = object;
  return rest as ApiObject;
}

/** An object as it would stand after sending: what the cluster filled in stays. */
function carried(before: ApiObject | undefined, sent: ApiObject, finalizers: readonly string[] | undefined): ApiObject {
  const mark = { managedFields: [{ ...personMark, apiVersion: sent.apiVersion }] };
  if (!before) return { ...sent, metadata: { ...sent.metadata, ...mark, generation: 1 } } as ApiObject;
  const kept = Object.fromEntries(Object.entries(before.metadata.annotations ?? {}).filter(([key]) => keptMark.test(key)));
  const annotations = { ...kept, ...sent.metadata.annotations };
  const { metadata: old } = before;
  const metadata = {
    ...sent.metadata,
    ...mark,
    uid: old.uid,
    creationTimestamp: old.creationTimestamp,
    generation: old.generation,
    ...(old.deletionTimestamp === undefined ? {} : { deletionTimestamp: old.deletionTimestamp }),
    ...(old.deletionGracePeriodSeconds === undefined ? {} : { deletionGracePeriodSeconds: old.deletionGracePeriodSeconds }),
    ownerReferences: sent.metadata.ownerReferences ?? old.ownerReferences,
    finalizers: finalizers
      ? [...new Set([...(old.finalizers ?? []).filter((one) => ownFinalizers.includes(one)), ...finalizers])]
      : old.finalizers,
    ...(Object.keys(annotations).length ? { annotations } : { annotations: undefined })
  };
  const status =
    sent.kind === 'Node' && before.kind === 'Node' ? { ...before.status, ...sent.status } : (before as { status?: unknown }).status;
  const next = { ...sent, metadata, ...(status === undefined ? {} : { status }) } as ApiObject;
  return fieldsCarried(before, next);
}

/** Containers with what admission filled in when their pod was made. */
function asAdmitted(before: readonly Container[] | undefined, next: readonly Container[]): Container[] {
  return next.map((one) => {
    const old = before?.find((two) => two.name === one.name)?.resources;
    if (!old) return one;
    const limits = { ...old.limits, ...one.resources?.limits };
    const requests = { ...old.requests, ...one.resources?.requests };
    const parts = {
      ...(Object.keys(limits).length ? { limits } : {}),
      ...(Object.keys(requests).length ? { requests } : {})
    };
    return { ...one, resources: { ...one.resources, ...parts } };
  });
}

/** Fields of the spec that the cluster filled in and that a manifest doesn't repeat. */
function fieldsCarried(before: ApiObject, next: ApiObject): ApiObject {
  if (before.kind === 'Service' && next.kind === 'Service') {
    const { clusterIP, clusterIPs } = before.spec;
    const address = clusterIP && next.spec.clusterIP === undefined ? { clusterIP, clusterIPs } : {};
    return nodePortsCarried(before, { ...next, spec: { ...address, ...next.spec } });
  }
  if (before.kind === 'PersistentVolumeClaim' && next.kind === 'PersistentVolumeClaim') {
    const { volumeName, storageClassName } = before.spec;
    return {
      ...next,
      spec: { ...(volumeName ? { volumeName } : {}), ...(storageClassName !== undefined ? { storageClassName } : {}), ...next.spec }
    };
  }
  if (before.kind === 'PersistentVolume' && next.kind === 'PersistentVolume') {
    const { claimRef, ...spec } = { ...(before.spec.claimRef ? { claimRef: before.spec.claimRef } : {}), ...next.spec };
    return { ...next, spec: claimRef ? { ...spec, claimRef } : spec };
  }
  if (before.kind === 'Pod' && next.kind === 'Pod') {
    const { nodeName, priority, preemptionPolicy, priorityClassName } = before.spec;
    const kept = { nodeName, priority, preemptionPolicy, priorityClassName };
    const known = Object.fromEntries(Object.entries(kept).filter(([, value]) => value !== undefined));
    const { containers, initContainers } = next.spec;
    return {
      ...next,
      spec: {
        ...known,
        ...next.spec,
        containers: asAdmitted(before.spec.containers, containers),
        ...(initContainers ? { initContainers: asAdmitted(before.spec.initContainers, initContainers) } : {})
      }
    };
  }
  return next;
}

const bookkeeping = /^metadata\.(uid|creationTimestamp|resourceVersion|generation|managedFields)/;

function alterations(before: ApiObject, after: ApiObject): Difference[] {
  return differences(before, after).filter(
    ({ field }) => !bookkeeping.test(field) && (after.kind === 'Node' || !field.startsWith('status'))
  );
}

/** Why a driver's part doesn't fit the cluster's version. */
function unfitDriver(object: ApiObject, facts: Facts): string | undefined {
  if (object.kind !== 'Deployment' && object.kind !== 'DaemonSet') return undefined;
  for (const { image } of object.spec.template.spec.containers) {
    const card = driverCard(imageCard(image).driverPart?.driver ?? '');
    const fault = card && versionFault(card, imageTag(image), clusterVersion(facts));
    if (fault) return fault;
  }
  return undefined;
}

/** Why a custom resource isn't taken: its kind isn't defined here, or the admission step refuses it. */
function customFault(
  object: ApiObject,
  facts: Facts,
  defined: ReadonlySet<string>
): Pick<Refusal, 'code' | 'message' | 'remedy'> | undefined {
  const card = operatorOf(object.kind);
  if (!card) return undefined;
  const known = defined.has(object.kind) || facts.list('CustomResourceDefinition').some((one) => one.spec.names.kind === object.kind);
  if (!known)
    return {
      code: 'not-sendable',
      message: `The cluster knows no kind ${object.kind}: its definition isn't there.`,
      remedy: `Send what the operator of ${card.title} needs once per cluster first: Operators has it as a draft.`
    };
  if (object.kind !== 'MemoryDatabase') return undefined;
  const asked = isAdmitted(facts, object.kind) && !operatorFault(facts, card, object.metadata.namespace ?? '');
  const fault = asked ? databaseFault(facts, object) : undefined;
  return fault === undefined
    ? undefined
    : {
        code: 'not-sendable',
        message: `The admission step of the operator refuses ${object.metadata.name}: ${fault}.`,
        remedy: 'Write what the cluster can give.'
      };
}

function objectRefusals(object: ApiObject, before: ApiObject | undefined, after: ApiObject, facts: Facts, batch: Batch): Refusal[] {
  const key = keyOf(refOf(object));
  const entry = entryOf(object.kind);
  const space = object.metadata.namespace ?? '';
  if (entry.derived)
    return [
      {
        code: 'not-sendable',
        message: `${key} is made by the cluster itself.`,
        remedy: 'Leave it out.',
        at: { object: key, field: 'kind' }
      }
    ];
  const room = facts.get('Namespace', '', space);
  if (entry.namespaced && !before && room?.metadata.deletionTimestamp)
    return [
      {
        code: 'namespace-missing',
        message: `The namespace "${space}" is being deleted; nothing new comes into it, so ${key} is refused.`,
        remedy: 'Run the clock until it is gone, then send the namespace again.',
        at: { object: key, field: 'metadata.namespace' }
      }
    ];
  if (entry.namespaced && !room && !batch.spaces.has(space)) {
    return [
      {
        code: 'namespace-missing',
        message: `The namespace "${space}" of ${key} doesn't exist.`,
        remedy: 'Send the namespace too, in the same batch or before.',
        at: { object: key, field: 'metadata.namespace' }
      }
    ];
  }
  const custom = customFault(object, facts, batch.defined);
  if (custom) return [{ ...custom, at: { object: key, field: 'spec' } }];
  const empty = cardFault(object, facts);
  if (empty) {
    const { field, message, remedy } = empty;
    return [{ code: 'not-sendable', message: `${key}: ${message}.`, remedy, at: { object: key, field } }];
  }
  const dead = deadFault(object);
  if (dead)
    return [
      {
        code: 'not-sendable',
        message: `${key}: ${dead}.`,
        remedy: 'Send an Outage with the node under dark instead.',
        at: { object: key, field: 'spec.dead' }
      }
    ];
  const unfit = unfitDriver(object, facts);
  if (unfit)
    return [
      {
        code: 'unfit-version',
        message: `${key}: ${unfit}.`,
        remedy: 'Send the newest version that fits; Supply offers it.',
        at: { object: key, field: 'spec.template.spec.containers' }
      }
    ];
  // Of what is going, finalizers can be taken off; nothing else matters any more.
  if (before?.metadata.deletionTimestamp && object.metadata.finalizers === undefined)
    return [
      {
        code: 'not-sendable',
        message: `${key} is being deleted.`,
        remedy: before.metadata.finalizers?.some((one) => !ownFinalizers.includes(one))
          ? `It waits for its finalizers, ${before.metadata.finalizers.join(', ')}: send it with metadata.finalizers: [] once what they stand for is done.`
          : 'Run the clock until it is gone, then send again.',
        at: { object: key }
      }
    ];
  const met = meetingFaults(object, before, after, facts, batch).map(({ field, message, ...rest }) => ({
    ...rest,
    message: `${key}: ${message}`,
    at: { object: key, field }
  }));
  if (met.length || !before) return met;
  // What was read from an export may lack what the cluster filled in: that it is there now is no change.
  return immutableFaults(filled(before, facts), after, facts).map(({ code, field, before: old, after: next, remedy }) => ({
    code,
    message: `${key}: ${field} can't change from ${JSON.stringify(old) ?? 'nothing'} to ${JSON.stringify(next) ?? 'nothing'}.`,
    remedy,
    at: { object: key, field }
  }));
}

/**
 * What sending a batch would do, object by object, in the order of sending. Nothing is written.
 * @param facts the cluster as it stands
 * @param replace objects that are taken away first, with their members kept
 */
export function plan(facts: Facts, objects: readonly ApiObject[], replace: readonly Ref[] = []): Verdict[] {
  const steps = planSteps(facts, objects, replace);
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
  }
}

const objectsAStep = 150;

/** The same, some objects at each step, so that others get their turn between. */
export function* planSteps(facts: Facts, objects: readonly ApiObject[], replace: readonly Ref[] = []): Generator<void, Verdict[]> {
  const services: KindMap['Service'][] = [];
  const coming = new Coming();
  const batch: Batch = {
    spaces: new Set(objects.filter((one) => one.kind === 'Namespace').map((one) => one.metadata.name)),
    defined: new Set(objects.flatMap((one) => (one.kind === 'CustomResourceDefinition' ? [one.spec.names.kind] : []))),
    accounts: new Set(
      objects.flatMap((one) => (one.kind === 'ServiceAccount' ? [`${one.metadata.namespace ?? ''}/${one.metadata.name}`] : []))
    ),
    services,
    coming,
    cards: [
      ...objects.flatMap((one) => (one.kind === 'EngineCard' ? [one] : [])),
      ...facts
        .list('EngineCard')
        .filter((one) => !objects.some((two) => two.kind === 'EngineCard' && two.metadata.name === one.metadata.name))
    ]
  };
  const verdicts: Verdict[] = [];
  for (const object of inSendingOrder(objects)) {
    const verdict = verdictOf(facts, object, replace, batch);
    verdicts.push(verdict);
    if (verdict.outcome === 'new' && verdict.after) coming.add(verdict.after);
    if (object.kind === 'Service') services.push(object);
    if (verdicts.length % objectsAStep === 0) yield;
  }
  return verdicts;
}

function verdictOf(facts: Facts, object: ApiObject, replace: readonly Ref[], batch: Batch): Verdict {
  const ref = refOf(object);
  const there = facts.get(ref.kind, ref.namespace, ref.name);
  const anew = there !== undefined && replace.some((one) => keyOf(one) === keyOf(ref));
  const before = anew ? undefined : there;
  const after = carried(before, withLikeness(filled(withoutStatus(object), facts), batch.cards), object.metadata.finalizers);
  const refusals = objectRefusals(object, before, after, facts, batch);
  if (refusals.length) return { ref, outcome: 'refused', ...(before ? { before } : {}), fields: [], refusals };
  const waitsFor = serverWait(facts, object);
  if (waitsFor) return { ref, outcome: 'held', waitsFor, ...(before ? { before } : {}), fields: [], refusals };
  if (anew) return { ref, outcome: 'replaced', before: there, after, fields: alterations(there, after), refusals };
  if (!before) return { ref, outcome: 'new', after, fields: [], refusals };
  const fields = alterations(before, after);
  if (!fields.length) return { ref, outcome: 'untouched', before, after: before, fields, refusals };
  const moved = !same((before as { spec?: unknown }).spec, (after as { spec?: unknown }).spec);
  const generation = (before.metadata.generation ?? 1) + (moved ? 1 : 0);
  return {
    ref,
    outcome: 'altered',
    before,
    after: { ...after, metadata: { ...after.metadata, generation } } as ApiObject,
    fields,
    refusals
  };
}
