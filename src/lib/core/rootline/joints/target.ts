import { asManifest } from '../../manifest';
import { refOf, zoneOf, type Backend, type Node } from '../../model';
import { backendOf, filePort, fileSystemOf, reachFault, type ReachFault } from '../../standin';
import { driverOfPlace, field, look } from '../evidence';
import type { ClaimPlace, JointRule, Position } from '../types';

const backendFor = ({ facts }: Position, place: ClaimPlace): Backend | undefined => {
  const handle = facts.get('PersistentVolume', '', place.claim?.spec.volumeName ?? '')?.spec.csi?.volumeHandle;
  const driver = driverOfPlace(facts, place);
  return (handle === undefined ? undefined : fileSystemOf(facts, handle)) ?? (driver === undefined ? undefined : backendOf(facts, driver));
};

/** The backend with what it lacks: a mount target in the zone, or a rule that lets the nodes in. */
function mended(backend: Backend, zones: readonly string[], fault: ReachFault, nodeRange: string): Backend {
  const { spec } = backend;
  if (fault.cause === 'target')
    return { ...backend, spec: { ...spec, mountTargets: [...(spec.mountTargets ?? []), ...zones.map((zone) => ({ zone }))] } };
  return { ...backend, spec: { ...spec, letIn: [...(spec.letIn ?? []), { port: filePort, from: nodeRange }] } };
}

/** Can the nodes reach the shared file system? */
export const target = {
  id: 'target' as const,
  shared: true,
  title: 'Mount target',
  why: `A shared file system is reached through a mount target in each zone, at TCP ${filePort}. Where one is missing, or the nodes' range isn't let in, mounts time out on those nodes only.`,
  perClaim: true,
  look(at, place) {
    const { facts, pod } = at;
    const backend = backendFor(at, place);
    if (!facts.knowsProvider || backend?.spec.fileSystem === undefined) return undefined;
    const node = facts.get('Node', '', pod?.spec.nodeName ?? '');
    const nodes = node ? [node] : facts.list('Node');
    const faults = nodes.flatMap((one) => {
      const fault = reachFault(backend, one);
      return fault ? [{ node: one, fault }] : [];
    });
    const objects = [refOf(backend)];
    const targets = (backend.spec.mountTargets ?? []).map((one) => one.zone).join(', ') || 'none';
    const [first] = faults;
    // A member that has no place yet may still find one from where the files can be reached.
    const some = faults.length < nodes.length && !node && place.name !== '(any)';
    if (!first || some)
      return look(
        'holds',
        node ? zoneOf(node) : backend.metadata.name,
        `mount targets in ${targets}${some ? '; not every node reaches one' : ''}`,
        { objects }
      );
    const zones = [...new Set(faults.filter((one) => one.fault.cause === first.fault.cause).map((one) => zoneOf(one.node)))];
    const nodeRange = facts.list('Ground')[0]?.spec.nodeRange ?? '0.0.0.0/0';
    const says = first.fault.cause === 'target' ? `zone ${zones.join(', ')}: no mount target` : first.fault.message;
    return look('broken', node ? zoneOf(node) : backend.metadata.name, says, {
      objects,
      evidence: [
        field(backend, first.fault.field, first.fault.value),
        ...faults.slice(0, 6).map(({ node: one }) => nodeEvidence(one, first.fault))
      ],
      remedy: {
        text:
          first.fault.cause === 'target'
            ? `Have the provider put a mount target into zone ${zones.join(', ')}.`
            : `Let TCP ${filePort} in from ${nodeRange}, the range of the nodes.`,
        manifests: [asManifest(mended(backend, zones, first.fault, nodeRange))]
      }
    });
  }
} satisfies JointRule;

const nodeEvidence = (node: Node, fault: ReachFault) =>
  fault.cause === 'target'
    ? field(node, 'metadata.labels[topology.kubernetes.io/zone]', zoneOf(node) || 'none')
    : field(node, 'status.addresses', node.status?.addresses?.find((one) => one.type === 'InternalIP')?.address ?? 'none');
