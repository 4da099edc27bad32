import { describe, expect, it } from 'vitest';
import { answerFaults, blueprints, firstAnswers } from '$core/blueprints';
import { installObjects, installOf, replay, type World } from '$core/standin';
import { groundObjects } from '$core/standin';
import { blockBackend, filesBackend, groundOf, objectsOf, steadyBlockYaml } from '../../../src/lib/scenario';
import { isReady } from '$core/model';

const zones = ['a', 'b', 'c'];
export function roomy(): World {
  const ground = groundObjects(
    groundOf({
      cluster: 'roomy',
      octet: 70,
      groups: zones.map((zone) => ({ name: `r-${zone}`, zone, count: 2, cpu: '8', memory: '64Gi' })),
      backends: [
        blockBackend(
          'roomy',
          zones.map((name) => ({ name, capacity: '4000Gi' })),
          200
        ),
        filesBackend('files', zones, '172.30.0.0/24')
      ],
      drivers: ['block.standin.example', 'files.standin.example']
    })
  );
  const send = (atMs: number, objects: ReturnType<typeof objectsOf>) => ({ atMs, action: { type: 'send' as const, objects } });
  const world = replay(
    { seed: 11, ground },
    [
      send(1, [...installObjects(installOf('block.standin.example')!), ...installObjects(installOf('files.standin.example')!)]),
      send(
        2,
        objectsOf(
          `${steadyBlockYaml}---\napiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: shared}\nprovisioner: files.standin.example\n`
        )
      )
    ],
    2
  );
  world.runSettled();
  return world;
}
describe('blueprints', () => {
  it.each(blueprints)('$id comes up', (blueprint) => {
    const world = roomy();
    const answers = firstAnswers(blueprint, world.store);
    expect(answerFaults(blueprint, answers, world.store)).toEqual([]);
    const from = world.nowMs;
    const t = Date.now();
    expect(world.act({ type: 'send', objects: blueprint.objects(answers, () => 'a-value-made-up-for-a-test') })).toEqual([]);
    world.runSettled();
    const pods = world.store.list('Pod', answers.namespace!);
    const took = `${blueprint.id} ${(world.nowMs - from) / 1000} s, ${Date.now() - t} ms real, ${pods.length} pods`;
    console.log(
      took,
      world.store
        .list('Process')
        .map((p) => `${p.metadata.name}: ${p.status?.role} ${p.status?.position} ${p.status?.says}`)
        .join('; ')
    );
    if (!pods.every(isReady))
      console.log(
        pods.map((p) => JSON.stringify(p.status)).join('\n'),
        world.store
          .list('PersistentVolumeClaim', answers.namespace!)
          .map((c) => `${c.metadata.name} ${c.status?.phase} ${JSON.stringify(c.metadata.annotations)}`),
        world.lines.map((l) => `${l.atMs} ${l.subject} ${l.text}`).join('\n')
      );
    expect(pods.length).toBeGreaterThan(0);
    expect(pods.every(isReady)).toBe(true);
    for (const topic of world.store.list('Topic')) expect(topic.status?.conditions[0]?.status).toBe('True');
  });
});
