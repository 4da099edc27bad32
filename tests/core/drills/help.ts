import { drilled, type Drill, type DrillAsk, type FaultId } from '$core/drills';
import { workloadNamed } from '$core/proofs';
import { World, type Snapshot } from '$core/standin';
import { objects } from '../help';
import { answered, must, roomy } from '../roomy';
import { played } from '../../played';
import { wordless } from '../../told';

/** A workload of a blueprint on a roomy cluster, all of it ready, and a way to drill it. */
export function standing(id: string, more: Record<string, string> = {}, alter: (world: World) => void = () => {}) {
  const world = roomy({ nodes: 2 });
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  must(world, ...answered(id, { namespace: 'space', name: 'one', ...more }));
  world.runSettled();
  alter(world);
  world.runSettled();
  const workload = () => workloadNamed(world.store, 'space', 'one')!;
  const scene = () => ({ facts: world.store, workload: workload() });
  const tried = (fault: FaultId, ask: Partial<DrillAsk> = {}) => {
    const saved = structuredClone(world.save()) as Snapshot;
    const found = drilled({ ...scene(), fork: () => World.restore(world.seed, saved), fault, ...ask });
    if (typeof found !== 'string') {
      const told = wordless(found);
      played(() => told);
    }
    return found;
  };
  const drill = (fault: FaultId, ask: Partial<DrillAsk> = {}): Drill => {
    const found = tried(fault, ask);
    if (typeof found === 'string') throw new Error(found);
    return found;
  };
  return { world, scene, tried, drill };
}
export const short = { pace: { faultMs: 60_000, calmMs: 10_000 } };
