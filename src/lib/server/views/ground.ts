import { claimsOf, nodeReady, roomOf, zoneOf } from '$core/model';
import { driverPartOf } from '$core/standin';
import { byName, type Scene } from './scene';

export interface Plank {
  readonly name: string;
  readonly ready: boolean;
  readonly closed: boolean;
  readonly milliCpu: { readonly asked: number; readonly room: number };
  readonly memoryBytes: { readonly asked: number; readonly room: number };
  readonly slots: { readonly taken: number; readonly limit: number | null };
  readonly members: readonly { readonly namespace: string; readonly name: string; readonly system: boolean }[];
}

/** The Ground sheet: planks by zone. */
export function groundView({ facts }: Scene) {
  const zones = new Map<string, Plank[]>();
  for (const node of facts.list('Node').sort(byName)) {
    const room = roomOf(node);
    const use = facts.useOf(node.metadata.name);
    const pods = facts.podsOn(node.metadata.name).sort(byName);
    const drivers = facts.get('CSINode', '', node.metadata.name)?.spec.drivers ?? [];
    const taken = new Set(pods.flatMap((pod) => claimsOf(pod.spec).map((claim) => `${pod.metadata.namespace}/${claim}`)));
    const plank: Plank = {
      name: node.metadata.name,
      ready: nodeReady(node),
      closed: node.spec?.unschedulable ?? false,
      milliCpu: { asked: use.milliCpu, room: room.milliCpu },
      memoryBytes: { asked: use.memoryBytes, room: room.memoryBytes },
      slots: { taken: taken.size, limit: drivers.length ? drivers.reduce((sum, one) => sum + (one.allocatable?.count ?? 0), 0) : null },
      members: pods.map((pod) => ({
        namespace: pod.metadata.namespace ?? '',
        name: pod.metadata.name,
        system: driverPartOf(pod.spec) !== undefined
      }))
    };
    const zone = zoneOf(node) || '(no zone)';
    zones.set(zone, [...(zones.get(zone) ?? []), plank]);
  }
  const place = facts.list('Ground')[0]?.spec;
  return {
    zones: [...zones].map(([name, planks]) => ({ name, planks })),
    ranges: place ? { pods: place.podRange, services: place.serviceRange, nodes: place.nodeRange, domain: place.clusterDomain } : null,
    registries: facts.list('Registry').map(({ spec }) => ({ host: spec.host, reachable: spec.reachable }))
  };
}
