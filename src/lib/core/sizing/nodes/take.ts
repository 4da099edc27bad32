import {
  amountText,
  askOf,
  classOf,
  claimsOf,
  keepsApart,
  nodeReady,
  roomOf,
  zoneOf,
  type Claim,
  type Deployment,
  type Facts,
  type Node,
  type PodSpec,
  type StatefulSet
} from '../../model';
import { listed } from '../../shared';
import { workloadNamed } from '../../proofs';
import { driverPartOf, operatorCards, poolPartOf, runsOperator } from '../../standin';
import { wholeOf, type Prices } from '../cost';
import type { NodesAsk } from './ask';

type Line = NodesAsk['members'][number];
const mib = 2 ** 20;
const inMib = (bytes: number): string => amountText('memory', Math.floor(bytes / mib) * mib);

/** What of a member's volumes takes a slot, by the driver of each. */
function volumesOf(facts: Facts, namespace: string, spec: PodSpec, templates: StatefulSet['spec']['volumeClaimTemplates']) {
  const classes = [
    ...(templates ?? []).map((one) => one.spec.storageClassName),
    ...claimsOf(spec).flatMap((name) => {
      const claim = facts.get('PersistentVolumeClaim', namespace, name);
      return claim ? [claim.spec.storageClassName] : [];
    })
  ];
  return classes.map((storageClassName) => classOf(facts, { storageClassName } as Claim['spec'])?.provisioner);
}

const isOperator = (one: StatefulSet | Deployment): boolean =>
  one.kind === 'Deployment' && operatorCards.some((card) => runsOperator(one, card));

const attaches = (facts: Facts, driver: string | undefined): boolean =>
  driver !== undefined && facts.get('CSIDriver', '', driver)?.spec.attachRequired !== false;

/** What nodes that are alike are called: by the first and the last of them. */
function commonName(nodes: readonly Node[]): string {
  const names = nodes.map((one) => one.metadata.name).sort((x, y) => x.localeCompare(y, 'en', { numeric: true }));
  return names.length > 1 ? `${names[0]} to ${names.at(-1)}` : names[0]!;
}

/** A month of a node by a list, where nodes that are alike cost the same; '' where they don't, or the list doesn't name them. */
function priceOf(prices: Prices, nodes: readonly Node[]): string {
  const all = new Set(nodes.map((node) => prices.node(wholeOf(node).milliCpu, wholeOf(node).memoryBytes)));
  const [first] = all;
  return all.size === 1 && first !== undefined ? String(Number(first.toFixed(4))) : '';
}

/** Sets and deployments whose members stand on nodes, each under the name of its row; drivers, pools and operators aside. */
export function memberSets(
  facts: Facts,
  chosen: ReturnType<typeof workloadNamed>
): { readonly name: string; readonly set: StatefulSet | Deployment }[] {
  const sets = (chosen ? [...chosen.sets, ...chosen.deployments] : [...facts.list('StatefulSet'), ...facts.list('Deployment')]).filter(
    (one) => !driverPartOf(one.spec.template.spec) && !poolPartOf(one.spec.template.spec) && !isOperator(one)
  );
  const names = new Map<string, number>();
  for (const one of sets) names.set(one.metadata.name, (names.get(one.metadata.name) ?? 0) + 1);
  return sets.map((set) => {
    const { namespace = '', name } = set.metadata;
    return { name: names.get(name)! > 1 ? `${namespace}/${name}` : name, set };
  });
}

/**
 * Members and nodes as they stand: what is asked by requests, what nodes can give beside their daemon sets.
 * @param of one workload; without it all that aren't drivers, pools or operators
 * @param prices what a month of nodes is taken from; without it they have no price
 */
export function takenNodes(
  facts: Facts,
  of: { readonly namespace: string; readonly name: string } | undefined,
  prices?: Prices
): { readonly ask: Omit<NodesAsk, 'by'>; readonly not: string } | string {
  const chosen = of && workloadNamed(facts, of.namespace, of.name);
  if (of && !chosen) return 'there is no such workload';
  const sets = memberSets(facts, chosen);
  if (!sets.length) return 'no members stand here';
  const nodes = facts.list('Node').filter((one) => nodeReady(one) && !one.spec?.unschedulable);
  if (!nodes.length) return 'no node is ready';
  const drivers = new Set<string>();
  let silent = 0;
  let unknown = 0;
  const members = sets.map(({ name, set: one }): Line => {
    const { namespace = '' } = one.metadata;
    const { spec } = one.spec.template;
    const ask = askOf(spec);
    if (!ask.milliCpu || !ask.memoryBytes) silent += 1;
    const volumes = volumesOf(facts, namespace, spec, one.kind === 'StatefulSet' ? one.spec.volumeClaimTemplates : undefined);
    unknown += volumes.filter((driver) => driver === undefined).length;
    const attached = volumes.filter((driver) => attaches(facts, driver));
    attached.forEach((driver) => drivers.add(driver!));
    return {
      name,
      count: String(one.spec.replicas ?? 1),
      cpu: amountText('cpu', ask.milliCpu),
      memory: ask.memoryBytes ? inMib(Math.ceil(ask.memoryBytes / mib) * mib) : '0',
      slots: String(attached.length),
      disk: '',
      apart: keepsApart(spec)
    };
  });
  const kinds = new Map<string, { nodes: Node[]; cpu: number; memory: number; slots: number | undefined }>();
  for (const node of nodes) {
    const room = roomOf(node);
    const counts = (facts.get('CSINode', '', node.metadata.name)?.spec.drivers ?? []).flatMap((one) =>
      drivers.has(one.name) && one.allocatable?.count !== undefined ? [one.allocatable.count] : []
    );
    const slots = counts.length ? Math.min(...counts) : undefined;
    const daemons = facts
      .podsOn(node.metadata.name)
      .filter((pod) => (pod.metadata.ownerReferences ?? []).some((one) => one.kind === 'DaemonSet'))
      .map((pod) => askOf(pod.spec));
    const cpu = Math.max(0, room.milliCpu - daemons.reduce((sum, one) => sum + one.milliCpu, 0));
    const memory = Math.max(0, room.memoryBytes - daemons.reduce((sum, one) => sum + one.memoryBytes, 0));
    const key = `${room.milliCpu}:${room.memoryBytes}:${slots}`;
    const known = kinds.get(key);
    // Nodes that are alike give what the one with the most beside its members gives.
    if (known)
      Object.assign(known, { cpu: Math.min(known.cpu, cpu), memory: Math.min(known.memory, memory), nodes: [...known.nodes, node] });
    else kinds.set(key, { nodes: [node], cpu, memory, slots });
  }
  const all = [...kinds.values()];
  const zones = new Set(nodes.map(zoneOf).filter(Boolean)).size;
  const endless = drivers.size > 0 && all.some((one) => one.slots === undefined);
  return {
    ask: {
      members,
      nodes: all.map((one) => ({
        name: commonName(one.nodes),
        cpu: amountText('cpu', one.cpu),
        memory: inMib(one.memory),
        slots: one.slots === undefined ? '' : String(one.slots),
        disk: '',
        most: '',
        price: prices ? priceOf(prices, one.nodes) : ''
      })),
      zones: String(Math.max(1, zones))
    },
    not: listed([
      ...(!prices
        ? ['prices']
        : all.every((one) => priceOf(prices, one.nodes) !== '')
          ? []
          : ['prices of nodes that the list doesn’t name']),
      'how many nodes can be had',
      'disks of nodes',
      ...(silent ? [`what ${silent === 1 ? 'one' : silent} of them would need, for they ask for nothing`] : []),
      ...(unknown ? ['slots of volumes whose class is not known'] : []),
      ...(drivers.size > 1 ? ['slots of each driver apart'] : []),
      ...(endless ? ['limits of nodes that name none'] : [])
    ])
  };
}
