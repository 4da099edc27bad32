import { blueprintNamed } from '$core/blueprints';
import { expect } from 'vitest';
import type { ApiObject, AskObject, Ref } from '$core/model';
import { groundObjects, installObjects, installOf, replay, type World } from '$core/standin';
import { blockBackend, filesBackend, groundOf, objectsOf, steadyBlockYaml } from '../../src/lib/scenario';

const zones = ['a', 'b', 'c'];
const drivers = ['block.standin.example', 'files.standin.example'];
const sharedClass =
  '---\napiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: shared}\nprovisioner: files.standin.example\n';

/** A cluster of three zones with block and file drivers, their classes, and room for anything but what is asked for. */
export function roomy({ nodes = 2, cpu = '8', memory = '64Gi', capacity = '4000Gi', volumes = 200 } = {}): World {
  const plan = {
    cluster: 'work',
    octet: 71,
    groups: zones.map((zone) => ({ name: `w-${zone}`, zone, count: nodes, cpu, memory })),
    backends: [
      blockBackend(
        'work',
        zones.map((name) => ({ name, capacity })),
        volumes
      ),
      filesBackend('files', zones, '172.31.0.0/24')
    ],
    drivers
  };
  const send = (atMs: number, objects: ApiObject[]) => ({ atMs, action: { type: 'send' as const, objects } });
  const installed = drivers.flatMap((one) => installObjects(installOf(one)!));
  const world = replay(
    { seed: 5, ground: groundObjects(groundOf(plan)) },
    [send(1, installed), send(2, objectsOf(`${steadyBlockYaml}${sharedClass}`))],
    2
  );
  world.runSettled();
  return world;
}

/** What a blueprint writes with its first answers, some of them given otherwise. */
export function answered(id: string, more: Record<string, string> = {}): ApiObject[] {
  const blueprint = blueprintNamed(id)!;
  const start = Object.fromEntries(
    blueprint.questions.map((one) => [one.id, one.kind === 'class' ? (id === 'shared-files' ? 'shared' : 'steady-block') : one.start])
  );
  return blueprint.objects({ ...start, ...more }, () => 'a-value-made-up-for-a-test');
}

export const must = (world: World, ...objects: ApiObject[]) => expect(world.act({ type: 'send', objects })).toEqual([]);
export const remove = (world: World, ref: Ref) => expect(world.act({ type: 'remove', ref })).toEqual([]);

/** Asks a workload for something, and doesn't wait. Gives the name of the ask. */
export function offer(
  world: World,
  namespace: string,
  workload: string,
  op: AskObject['spec']['op'],
  more: Partial<Omit<AskObject['spec'], 'op' | 'workload'>> = {}
): string {
  const id = `t${world.journal.changes.length}`;
  expect(world.act({ type: 'ask', namespace, id, ask: { workload, way: 'inside', login: 'right', op, ...more } })).toEqual([]);
  return id;
}

/** Asks a workload for something, and runs the clock until it has answered. */
export function ask(
  world: World,
  namespace: string,
  ...what: [workload: string, op: AskObject['spec']['op'], more?: Parameters<typeof offer>[4]]
) {
  const id = offer(world, namespace, ...what);
  while (!world.store.get('Ask', namespace, id)!.status?.outcome) world.runUntil(world.nextMs!);
  return world.store.get('Ask', namespace, id)!.status!;
}
