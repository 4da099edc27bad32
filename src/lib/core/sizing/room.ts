import { driverPartOf, poolPartOf } from '../standin';
import { askOf, nodeReady, repellingTaint, roomOf, type Ask, type Facts, type Node } from '../model';

/** What a node still has for pods, by requests. */
export interface FreeRoom {
  readonly node: string;
  readonly milliCpu: number;
  readonly memoryBytes: number;
  readonly pods: number;
}

/** What every node that takes ordinary pods still has, by requests. */
export function freeRooms(facts: Facts): FreeRoom[] {
  const open = (node: Node) => nodeReady(node) && !node.spec?.unschedulable && !repellingTaint(node, undefined);
  return facts
    .list('Node')
    .filter(open)
    .map((node) => {
      const room = roomOf(node);
      const use = facts.useOf(node.metadata.name);
      return {
        node: node.metadata.name,
        milliCpu: Math.max(0, room.milliCpu - use.milliCpu),
        memoryBytes: Math.max(0, room.memoryBytes - use.memoryBytes),
        pods: Math.max(0, room.pods - use.pods)
      };
    });
}

/** How many more pods of an ask fit, over all nodes. */
export function moreOf(rooms: readonly FreeRoom[], ask: Ask): number {
  return rooms.reduce((sum, one) => {
    const byCpu = ask.milliCpu ? Math.floor(one.milliCpu / ask.milliCpu) : one.pods;
    const byMemory = ask.memoryBytes ? Math.floor(one.memoryBytes / ask.memoryBytes) : one.pods;
    return sum + Math.min(byCpu, byMemory, one.pods);
  }, 0);
}

/** The largest ask among the workloads of a cluster (drivers and operators aside), by memory and then CPU; undefined without any. */
export function largestAsk(facts: Facts): { readonly name: string; readonly ask: Ask } | undefined {
  const workloads = [...facts.list('StatefulSet'), ...facts.list('Deployment')].filter(
    ({ spec }) => !driverPartOf(spec.template.spec) && !poolPartOf(spec.template.spec)
  );
  let largest: { name: string; ask: Ask } | undefined;
  for (const one of workloads) {
    const ask = askOf(one.spec.template.spec);
    const more = ask.memoryBytes - (largest?.ask.memoryBytes ?? -1) || ask.milliCpu - (largest?.ask.milliCpu ?? -1);
    if (more > 0) largest = { name: one.metadata.name, ask };
  }
  return largest;
}
