import { bytesOf, isQuantity, milliCpuOf, quantityOf } from '../shared';
import type { Container, PodSpec } from './pod-kinds';
import { isSidecar } from './pods';

/** Amounts by the name of their resource: thousandths for CPU, bytes for memory and storage, a count for anything else. */
export type Amounts = ReadonlyMap<string, number>;

const isCpu = (resource: string): boolean => resource === 'cpu' || resource.endsWith('.cpu');

/** The number behind a quantity of a resource; undefined where it is none. */
export const amountOf = (resource: string, quantity: string | number | undefined): number | undefined =>
  quantity === undefined || !isQuantity(String(quantity)) ? undefined : isCpu(resource) ? milliCpuOf(quantity) : bytesOf(quantity);

/** The same the other way round, as manifests spell it: `1500m`, `3Gi`, `12`. */
export function amountText(resource: string, amount: number): string {
  if (isCpu(resource)) return amount % 1_000 === 0 ? String(amount / 1_000) : `${amount}m`;
  return /memory|storage$/.test(resource) && amount % 1_024 === 0 ? quantityOf(amount) : String(amount);
}

type Part = 'requests' | 'limits';

/** What one container asks for, or may have at most; a limit without a request counts as the request too. Source: "Resource Management for Pods and Containers". */
function partOf({ resources }: Container, part: Part): Map<string, number> {
  const found = new Map<string, number>();
  const put = (from: Readonly<Record<string, string | number>> | undefined) => {
    for (const [name, value] of Object.entries(from ?? {})) {
      const amount = amountOf(name, value);
      if (amount !== undefined) found.set(name, amount);
    }
  };
  if (part === 'requests') put(resources?.limits);
  put(resources?.[part]);
  return found;
}

const add = (to: Map<string, number>, more: Amounts) => more.forEach((amount, name) => to.set(name, (to.get(name) ?? 0) + amount));

/** What a pod asks for, or may have, of each resource: the most that is needed at once. Source: "Init Containers", "Sidecar Containers". */
export function podAmounts(spec: PodSpec, part: Part): Amounts {
  const beside = new Map<string, number>();
  const most = new Map<string, number>();
  for (const one of spec.initContainers ?? []) {
    const own = partOf(one, part);
    own.forEach((amount, name) => most.set(name, Math.max(most.get(name) ?? 0, amount + (beside.get(name) ?? 0))));
    if (isSidecar(one)) add(beside, own);
  }
  for (const one of spec.containers) add(beside, partOf(one, part));
  most.forEach((amount, name) => beside.set(name, Math.max(beside.get(name) ?? 0, amount)));
  return beside;
}

/** The amounts of one container. */
export const containerAmounts = partOf;
