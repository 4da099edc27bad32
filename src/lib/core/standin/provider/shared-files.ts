import { rangeHolds } from '../../shared';
import { zoneOf, type Backend, type Facts, type Node } from '../../model';

/** The port that NFS version 4 needs, and no other. Sources: RFC 8881; the IANA registry, service name "nfs". */
export const filePort = 2049;

/** Why a node can't reach a shared file system. */
export interface ReachFault {
  readonly cause: 'target' | 'port';
  readonly field: string;
  readonly value: string;
  readonly message: string;
}

/** A node's address in the physical network. */
export const addressOf = (node: Node | undefined): string =>
  node?.status?.addresses?.find((one) => one.type === 'InternalIP')?.address ?? '';

/** What keeps a node from mounting a shared file system; undefined when nothing does. */
export function reachFault(backend: Backend, node: Node): ReachFault | undefined {
  const zone = zoneOf(node);
  const targets = backend.spec.mountTargets ?? [];
  const name = backend.metadata.name;
  if (!targets.some((one) => one.zone === zone))
    return {
      cause: 'target',
      field: 'spec.mountTargets',
      value: targets.map((one) => one.zone).join(', ') || 'none',
      message: `${name} has no mount target in zone ${zone || '(none)'}`
    };
  const rules = (backend.spec.letIn ?? []).filter((one) => one.port === filePort);
  const address = addressOf(node);
  if (rules.some((one) => rangeHolds(one.from, address))) return undefined;
  return {
    cause: 'port',
    field: 'spec.letIn',
    value: (backend.spec.letIn ?? []).map((one) => `${one.port} from ${one.from}`).join('; ') || 'nothing',
    message: rules.length
      ? `TCP ${filePort} of ${name} is not let in from ${address || 'the node'}`
      : `TCP ${filePort} of ${name} is closed`
  };
}

/** The backend behind a volume's handle where the handle is a whole shared file system. */
export const fileSystemOf = (facts: Facts, handle: string): Backend | undefined =>
  facts.list('Backend').find((one) => one.spec.fileSystem === handle);
