import { fieldOf, rangeFault, rangeHolds } from '../../shared';
import { keyOf, refOf, type ApiObject, type EngineCardObject, type Facts, type KindMap } from '../../model';
import { versionFaults } from '../../validation';
import { claimShut, podShut, quotaShut, type Coming, type Shut } from './limits';
import { nodePortsShort } from './addresses';
import type { Refusal } from './plan';
import { clusterVersion } from '../provider/drivers';
import { gateOpen, gateRemedy } from '../provider/feature-gates';

/** What is sent together, as far as others of it have to know. */
export interface Batch {
  readonly spaces: ReadonlySet<string>;
  /** Kinds that definitions bring along. */
  readonly defined: ReadonlySet<string>;
  /** `namespace/name` of accounts. */
  readonly accounts: ReadonlySet<string>;
  /** Services that come before in the order of sending. */
  readonly services: readonly KindMap['Service'][];
  /** All that is new, or is a quota, and comes before in the order of sending. */
  readonly coming: Coming;
  /** What is supposed of programs, by cards that stand and by those that come along. */
  readonly cards: readonly EngineCardObject[];
}

type Met = Omit<Refusal, 'at'> & { readonly field: string };

const bad = (field: string, message: string, remedy: string): Met => ({
  code: 'bad-value',
  field,
  message: `${field} ${message}.`,
  remedy
});

/** Source: ObjectMeta v1 meta, resourceVersion and uid. */
function identity(object: ApiObject, before: ApiObject | undefined): Met[] {
  const { uid, resourceVersion } = object.metadata;
  const found: Met[] = [];
  if (!before && resourceVersion)
    found.push(bad('metadata.resourceVersion', 'is set, though nothing of this name stands', 'Leave it out; the cluster gives it.'));
  if (uid !== undefined && uid !== before?.metadata.uid)
    found.push(
      bad(
        'metadata.uid',
        before ? 'is that of another object; the one that stands has its own' : 'is set, though nothing of this name stands',
        'Leave it out; the cluster gives it.'
      )
    );
  return found;
}

/** Source: "Service", choosing your own IP address; type NodePort. */
function addresses(service: KindMap['Service'], after: KindMap['Service'], facts: Facts, batch: Batch): Met[] {
  const { clusterIP, ports = [], type } = service.spec;
  const own = clusterIP !== undefined && clusterIP !== '' && clusterIP !== 'None';
  const open = (type === 'NodePort' || type === 'LoadBalancer') && ports.some((one) => one.nodePort);
  if (nodePortsShort(facts, batch.services, after))
    return [bad('spec.ports', 'ask for ports on nodes, and none is free', 'Take away services that nobody needs, or use type ClusterIP.')];
  // Most services ask for nothing of this; then nobody else is looked at.
  if (!own && !open) return [];
  const key = keyOf(refOf(service));
  const others = [...facts.list('Service'), ...batch.services].filter((one) => keyOf(refOf(one)) !== key);
  const found: Met[] = [];
  const range = facts.list('Ground')[0]?.spec.serviceRange;
  if (own) {
    if (range !== undefined && !rangeFault(range) && !rangeHolds(range, clusterIP))
      found.push(
        bad('spec.clusterIP', `is ${clusterIP}, outside the range of services, ${range}`, 'Leave it out, or choose one of the range.')
      );
    const other = others.find((one) => one.spec.clusterIP === clusterIP);
    if (other)
      found.push(bad('spec.clusterIP', `is ${clusterIP}, which ${keyOf(refOf(other))} has`, 'Leave it out, or choose a free one.'));
  }
  if (open)
    ports.forEach((port, i) => {
      const other = port.nodePort
        ? others.find((one) =>
            one.spec.ports?.some((two) => two.nodePort === port.nodePort && (two.protocol ?? 'TCP') === (port.protocol ?? 'TCP'))
          )
        : undefined;
      if (other)
        found.push(
          bad(
            `spec.ports[${i}].nodePort`,
            `is ${String(port.nodePort)}, which ${keyOf(refOf(other))} has`,
            'Leave it out, or choose a free one.'
          )
        );
    });
  return found;
}

/** Source: "Configure Service Accounts for Pods"; the admission step of accounts. */
function account(pod: KindMap['Pod'], facts: Facts, batch: Batch): Met[] {
  const { namespace = '' } = pod.metadata;
  const name = pod.spec.serviceAccountName ?? 'default';
  if (name === 'default' || facts.get('ServiceAccount', namespace, name) || batch.accounts.has(`${namespace}/${name}`)) return [];
  return [
    bad('spec.serviceAccountName', `is ${name}, an account that ${namespace} doesn't have`, 'Send the account too, or leave it out.')
  ];
}

function shutOut(after: ApiObject, before: ApiObject | undefined, facts: Facts, { coming }: Batch): Shut | undefined {
  if (after.kind === 'Pod') return before ? undefined : podShut(facts, after, coming);
  return after.kind === 'PersistentVolumeClaim' ? claimShut(facts, after, before, coming) : quotaShut(facts, after, before, coming);
}

/** What the cluster API refuses of an object because of what stands there, or for its version. */
export function meetingFaults(object: ApiObject, before: ApiObject | undefined, after: ApiObject, facts: Facts, batch: Batch): Met[] {
  const found = identity(object, before);
  const minor = Number(clusterVersion(facts).split('.')[1]);
  for (const { field, code, message, remedy } of versionFaults(object, minor)) found.push({ code, field: fieldOf(field), message, remedy });
  if (object.kind === 'Service' && after.kind === 'Service') found.push(...addresses(object, after, facts, batch));
  if (object.kind === 'Pod' && !before) found.push(...account(object, facts, batch));
  if (object.kind === 'VolumeAttributesClass' && !gateOpen(facts, 'VolumeAttributesClass'))
    found.push({
      code: 'unserved-version',
      field: 'kind',
      message: `kind is VolumeAttributesClass, which this cluster (${clusterVersion(facts)}) doesn't serve.`,
      remedy: gateRemedy('VolumeAttributesClass')
    });
  const shut = shutOut(after, before, facts, batch);
  if (shut) found.push({ code: 'bad-value', field: shut.field, message: `${shut.message}.`, remedy: shut.remedy });
  return found;
}
