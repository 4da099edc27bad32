import { readManifests } from '$core/manifest';
import type { ApiObject } from '$core/model';
import { groundObjects, installObjects, installOf, World, type Origin } from '$core/standin';
import { blockBackend, groundOf, objectsOf, steadyBlockYaml } from '../src/lib/scenario';

/** A made-up ground of `nodes` nodes in three zones, with room for what the bench asks of it. */
export function largeOrigin(nodes: number, volumes: number): Origin {
  const zones = ['a', 'b', 'c'];
  const groups = zones.map((zone, z) => ({
    name: `node-${zone}`,
    zone,
    cpu: '16',
    memory: '64Gi',
    names: Array.from({ length: Math.ceil((nodes - z) / 3) }, (_, i) => `node-${zone}${i}`)
  }));
  const backends = [
    blockBackend(
      'bench',
      zones.map((name) => ({ name, capacity: '4000Ti' })),
      volumes + 10
    )
  ];
  const ground = groundOf({ cluster: 'bench', octet: 60, groups, backends, drivers: ['block.standin.example'] });
  // 1,000 nodes need more shares of a /24 than a /16 has.
  return { seed: 7, ground: groundObjects({ ...ground, spec: { ...ground.spec, podRange: '10.60.0.0/12', nodeRange: '172.20.0.0/16' } }) };
}

/** `count` sets of three members with a claim each, spread over namespaces of 100 sets. */
export function manySets(count: number): ApiObject[] {
  const spaces = Math.ceil(count / 100);
  const texts: string[] = [];
  for (let i = 0; i < spaces; i += 1) texts.push(`apiVersion: v1\nkind: Namespace\nmetadata: {name: space-${i}}\n`);
  for (let i = 0; i < count; i += 1) {
    const name = `set-${i}`;
    const namespace = `space-${Math.floor(i / 100)}`;
    texts.push(`apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: ${namespace}}
spec:
  clusterIP: None
  selector: {app: ${name}}
  ports: [{name: data, port: 7110}]
`);
    texts.push(`apiVersion: apps/v1
kind: StatefulSet
metadata: {name: ${name}, namespace: ${namespace}}
spec:
  replicas: 3
  serviceName: ${name}
  selector: {matchLabels: {app: ${name}}}
  template:
    metadata: {labels: {app: ${name}}}
    spec:
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
          - topologyKey: kubernetes.io/hostname
            labelSelector: {matchLabels: {app: ${name}}}
      containers:
      - name: main
        image: shelf.standin.example/engines/multi-primary-sql:r4
        resources: {requests: {cpu: 250m, memory: 1Gi}}
        volumeMounts: [{name: data, mountPath: /data}]
  volumeClaimTemplates:
  - metadata: {name: data}
    spec:
      accessModes: [ReadWriteOnce]
      storageClassName: steady-block
      resources: {requests: {storage: 10Gi}}
`);
  }
  const { objects, problems } = readManifests(texts.join('---\n'));
  if (problems.length) throw new Error(problems[0]!.message);
  return objects.map((one) => one.object);
}

/** A world with a driver, a class and so many sets sent at T+0, not run yet. */
export function largeWorld(nodes: number, sets: number, objects = manySets(sets), origin = largeOrigin(nodes, sets * 3)): World {
  const world = World.create(origin);
  for (const batch of [installObjects(installOf('block.standin.example')!), objectsOf(steadyBlockYaml), objects]) {
    const refusals = world.act({ type: 'send', objects: batch });
    if (refusals.length) throw new Error(refusals[0]!.message);
  }
  return world;
}
