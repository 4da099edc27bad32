import { readManifests } from '$core/manifest';
import type { ApiObject, Asset, Kind, Ref } from '$core/model';
import { rootLine, type Joint } from '$core/rootline';
import { installObjects, installOf, replay, type Action, type World } from '$core/standin';
import { driverGates } from '$core/rootline';
import { scenario } from '../../src/lib/scenario';

/** Objects of manifests that are meant to be right. */
export function objects(yaml: string): ApiObject[] {
  const { objects: read, problems } = readManifests(yaml);
  if (problems.length) throw new Error(problems.map((one) => `${one.at.line}: ${one.message}`).join('\n'));
  return read.map((one) => one.object);
}

/** A cluster of the scenario. */
export const named = (name: string) => scenario().find((one) => one.name === name)!;

/** Workloads that wait for their own reasons beside the story that most tests tell. */
const besides = ['pricing', 'memory-system', 'archive', 'gauges', 'people'];

/** A cluster of the scenario without what stands beside its story. */
export function alone(name: string) {
  const one = named(name);
  const beside = ({ action }: (typeof one.actions)[number]) =>
    action.type === 'send' && action.objects.some((two) => besides.includes(two.metadata.name) && two.kind === 'Namespace');
  return { ...one, actions: one.actions.filter((action) => !beside(action)) };
}

/** south-quay as a newcomer meets it: `bookings` waits, no driver. */
export const southOrigin = () => alone('south-quay');
export const south = (): World => {
  const one = southOrigin();
  return replay(one, one.actions, one.headMs);
};
/** The same place, closed: its nodes reach only the registries that it names. */
export function closed(world: World): World {
  const [ground] = world.store.list('Ground');
  world.put({ ...ground!, spec: { ...ground!.spec, pulls: 'named' } });
  return world;
}
/** south-quay with its driver, and bookings running. */
export function mendedSouth(): World {
  const world = south();
  must(world, { type: 'send', objects: driver() });
  world.runSettled();
  return world;
}
/** The asset behind a claim. */
export function claimAssetOf(world: World, namespace: string, name: string): Asset | undefined {
  const claim = world.store.get('PersistentVolumeClaim', namespace, name);
  const volume = world.store.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  return world.store.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
}
/** south-quay before anything was sent, with its class and driver ready. */
export function readySouth(): World {
  const one = southOrigin();
  const world = replay(one, one.actions.slice(0, 1), 2_000);
  must(world, { type: 'send', objects: driver() });
  world.runSettled();
  return world;
}
export const driver = (): ApiObject[] => installObjects(installOf('block.standin.example')!);

/** A cluster of the scenario as the demo leaves it. */
export function asLeft(name: string, untilMs?: number): World {
  const one = alone(name);
  const end = untilMs ?? one.headMs;
  return replay(
    one,
    one.actions.filter((action) => action.atMs <= end),
    end
  );
}

/** Carries an action out that has to be taken. */
export function must(world: World, action: Action): void {
  const refusals = world.act(action);
  if (refusals.length) throw new Error(refusals.map((one) => one.message).join('\n'));
}
export const send = (world: World, yaml: string): void => must(world, { type: 'send', objects: objects(yaml) });
export const remove = (world: World, ref: Ref, keepMembers = false): void => must(world, { type: 'remove', ref, keepMembers });

export const ref = (kind: Kind, namespace: string, name: string): Ref => ({ kind, namespace, name });
export const bookings = (ordinal: number) => ref('Pod', 'tickets', `bookings-${ordinal}`);
export const bookingsSet = ref('StatefulSet', 'tickets', 'bookings');

/** The lowest broken joint of a subject; undefined when nothing is broken. */
export function firstBreak(world: World, subject: Ref): Joint | undefined {
  const line = rootLine(world.store, subject);
  if (!line) throw new Error(`${subject.name} has no root line`);
  const joint = line.joints.find((one) => one.state === 'broken');
  if ((joint?.joint ?? null) !== line.firstBreak) throw new Error('the first break is not the lowest broken joint');
  return joint;
}

/** Sends, and runs until nothing is under way. */
export function settle(world: World, yaml: string): World {
  send(world, yaml);
  world.runSettled();
  return world;
}

/** Sends the remedy of a subject's first break, which must be written down, and runs on. */
export function mend(world: World, subject: Ref): string {
  const joint = firstBreak(world, subject);
  const manifests = joint?.remedy?.manifests;
  if (!joint || !manifests) throw new Error(`${subject.name}: no remedy to send (${joint?.joint}: ${joint?.says})`);
  must(world, { type: 'send', objects: manifests });
  world.runSettled();
  return joint.joint;
}

/** A class, a claim, a pod that mounts it: each in one line. */
export const classOf = (name: string, provisioner: string, more = ''): string =>
  `apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: ${name}}\nprovisioner: ${provisioner}\n${more}\n---\n`;
export const claimOf = (name: string, spec: string): string =>
  `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ${name}, namespace: default}\nspec: {${spec}}\n---\n`;
export const podOf = (name: string, claim: string, more = ''): string =>
  `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: default}\nspec: {containers: [{name: main, image: shelf.standin.example/tools/t:1, volumeMounts: [{name: d, mountPath: /d}]}], volumes: [{name: d, persistentVolumeClaim: {claimName: ${claim}}}]${more}}\n---\n`;
export const size = (storage: string): string => `resources: {requests: {storage: ${storage}}}`;

/** A set of one in `default` with a claim, to be bent in one place. */
export const smallSet = (
  over: { name?: string; pod?: string; container?: string; claim?: string; service?: string; set?: string } = {}
): string => {
  const name = over.name ?? 'probe';
  return `
apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: default}
spec: ${over.service ?? `{clusterIP: None, selector: {app: ${name}}, ports: [{name: data, port: 7110}]}`}
---
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: ${name}, namespace: default}
spec:
  serviceName: ${name}
  ${over.set ?? ''}
  selector: {matchLabels: {app: ${name}}}
  template:
    metadata: {labels: {app: ${name}}}
    spec:
      ${over.pod ?? ''}
      containers:
      - {name: main, image: shelf.standin.example/engines/multi-primary-sql:r4, volumeMounts: [{name: data, mountPath: /data}], ${over.container ?? ''}}
  volumeClaimTemplates:
  - metadata: {name: data}
    spec: ${over.claim ?? '{accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 10Gi}}}'}
`;
};

/** The driver of pools. */
export const pool = 'pool.standin.example';

/** harbour, with every gate of the pool mended by the draft that it offers, lowest first. */
export function harbourPool(): { world: World; order: string[] } {
  const world = asLeft('harbour');
  const order: string[] = [];
  for (let i = 0; i < 12; i += 1) {
    const gate = driverGates(world.store, pool).find((one) => one.state === 'broken');
    if (!gate) break;
    if (!gate.remedy?.manifests) throw new Error(`${gate.title}: ${gate.says}`);
    must(world, { type: 'send', objects: gate.remedy.manifests });
    world.runSettled();
    order.push(gate.joint);
  }
  return { world, order };
}
