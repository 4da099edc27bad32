import { isReady, type Kind, type Pod } from '$core/model';
import type { World } from '$core/standin';
import { objects, readySouth, send } from '../help';

/** south-quay with its class, its driver and a namespace `space`: two nodes in zone a, two in b. */
export function ready(): World {
  const world = readySouth();
  send(world, 'apiVersion: v1\nkind: Namespace\nmetadata: {name: space, labels: {team: blue}}\n');
  world.runSettled();
  return world;
}

export const image = 'shelf.standin.example/tools/t:1';
export const pod = (name: string, spec = '', labels = 'a: b') =>
  `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: space, labels: {${labels}}}\nspec: {containers: [{name: main, image: ${image}}]${spec ? `, ${spec}` : ''}}\n---\n`;
export const claim = (name: string, more = '', storage = '1Gi') =>
  `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ${name}, namespace: space}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: ${storage}}}${more ? `, ${more}` : ''}}\n---\n`;
export const mounts = (name: string) => `volumes: [{name: d, persistentVolumeClaim: {claimName: ${name}}}]`;

/** A set `s` with one claim per member. */
export const set = (spec = '', mark = 'one', container = '') => `apiVersion: apps/v1
kind: StatefulSet
metadata: {name: s, namespace: space}
spec:
  serviceName: s
  replicas: 3
${spec ? `  ${spec}\n` : ''}  selector: {matchLabels: {app: s}}
  template:
    metadata: {labels: {app: s}, annotations: {mark: ${mark}}}
    spec: {containers: [{name: main, image: ${image}${container ? `, ${container}` : ''}}]}
  volumeClaimTemplates:
  - metadata: {name: d}
    spec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}
---
`;
export const deployment = (spec: string, template = '', mark = 'one') => `apiVersion: apps/v1
kind: Deployment
metadata: {name: d, namespace: space}
spec:
  ${spec}
  selector: {matchLabels: {app: d}}
  template:
    metadata: {labels: {app: d}, annotations: {mark: ${mark}}}
    spec: {containers: [{name: main, image: ${image}}]${template ? `, ${template}` : ''}}
---
`;

export const get = <K extends Kind>(world: World, kind: K, name: string) => world.store.get(kind, 'space', name);
/** Node of a pod; undefined while it has none. */
export const nodeOf = (world: World, name: string) => get(world, 'Pod', name)?.spec.nodeName;
export const zoneIs = (world: World, name: string) =>
  world.store.get('Node', '', nodeOf(world, name) ?? '')?.metadata.labels?.['topology.kubernetes.io/zone'];
export const podsLike = (world: World, app: string): Pod[] =>
  world.store.list('Pod', 'space').filter((one) => one.metadata.labels?.app === app);
export const markOf = (one: Pod | undefined) => one?.metadata.annotations?.mark;
export const readyOnes = (world: World, app: string) => podsLike(world, app).filter(isReady).length;
export const eventsAbout = (world: World, kind: Kind, name: string, namespace = 'space') =>
  world.store.eventsOf({ kind, namespace, name }).map((one) => `${one.reason}: ${one.message}`);
export const remove = (world: World, kind: Kind, name: string) => world.act({ type: 'remove', ref: { kind, namespace: 'space', name } });
export const alter = (world: World, node: string, change: (labels: Record<string, string>) => object): void => {
  const one = world.store.get('Node', '', node)!;
  world.put({ ...one, ...change(one.metadata.labels ?? {}) } as typeof one);
};
export { objects, send };
