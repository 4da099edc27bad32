import { bytesOf, isQuantity } from '../../../shared';
import type { Node, Pod, PodSpec } from '../../../model';
import type { Places } from './place-fault';

type Amounts = ReadonlyMap<string, number>;
const none: Amounts = new Map();
const plain = new Set(['cpu', 'memory', 'storage']);
const asked = new WeakMap<object, Amounts>();

/** What a pod asks for beside CPU and memory: its containers' requests, or limits where no request is given. */
export function othersOf(spec: PodSpec): Amounts {
  const known = asked.get(spec.containers);
  if (known) return known;
  let sums: Map<string, number> | undefined;
  for (const { resources } of spec.containers)
    for (const name of new Set([...Object.keys(resources?.requests ?? {}), ...Object.keys(resources?.limits ?? {})])) {
      const value = resources?.requests?.[name] ?? resources?.limits?.[name];
      if (plain.has(name) || value === undefined || !isQuantity(String(value))) continue;
      (sums ??= new Map<string, number>()).set(name, (sums.get(name) ?? 0) + bytesOf(value));
    }
  const found = sums ?? none;
  asked.set(spec.containers, found);
  return found;
}

/**
 * Whether a node has too little of what a pod asks for beside CPU and memory. A node that says nothing of its ephemeral storage has enough
 * of it; of anything else it then has none. Source: "Resource Management for Pods and Containers", extended resources.
 */
export function scarcity({ podsOn }: Places, pod: Pod): ((node: Node) => boolean) | undefined {
  const wants = othersOf(pod.spec);
  if (!wants.size) return undefined;
  return (node) => {
    const given = node.status?.allocatable ?? node.status?.capacity ?? {};
    return [...wants].some(([name, amount]) => {
      const all = given[name];
      if (all === undefined) return name !== 'ephemeral-storage';
      const taken = podsOn(node.metadata.name).reduce(
        (sum, other) => (other.metadata.uid === pod.metadata.uid ? sum : sum + (othersOf(other.spec).get(name) ?? 0)),
        0
      );
      return taken + amount > bytesOf(all);
    });
  };
}

interface HostPort {
  readonly port: number;
  readonly protocol: string;
  readonly address: string;
}

/** Ports of its node that a pod asks for; undefined for none. Source: ContainerPort v1 core, hostPort. */
export function hostPortsOf(pod: Pod): readonly HostPort[] | undefined {
  let found: HostPort[] | undefined;
  for (const container of pod.spec.containers)
    for (const one of (container.ports ?? []) as readonly { hostPort?: number; hostIP?: string; protocol?: string }[])
      if (one.hostPort) (found ??= []).push({ port: one.hostPort, protocol: one.protocol ?? 'TCP', address: one.hostIP ?? anyAddress });
  return found;
}

const anyAddress = '0.0.0.0';
const meet = (a: HostPort, b: HostPort): boolean =>
  a.port === b.port && a.protocol === b.protocol && (a.address === b.address || a.address === anyAddress || b.address === anyAddress);

/** Whether another pod of a node has one of the ports. */
export const portTaken = ({ podsOn }: Places, ports: readonly HostPort[], node: Node): boolean =>
  podsOn(node.metadata.name).some((other) => hostPortsOf(other)?.some((one) => ports.some((two) => meet(one, two))) ?? false);
