/* Pods, services and evictions, tried by behaviour. Sources: "Pods", "Configure a Security Context", "Images", "Service", "API-initiated Eviction". */
import { expect, test } from 'vitest';
import { isReady } from '$core/model';
import { resolve } from '$core/standin';
import { claim, deployment, eventsAbout, get, image, mounts, pod, podsLike, ready, send, set } from './help';

const waiting = (world: ReturnType<typeof ready>, name: string) => get(world, 'Pod', name)!.status?.containerStatuses?.[0]?.state?.waiting;

test('a key that is mounted has to be there, and so has all that is projected', () => {
  const world = ready();
  send(world, 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: c, namespace: space}\ndata: {here: x}\n');
  send(world, pod('keyed', 'volumes: [{name: v, configMap: {name: c, items: [{key: gone, path: x}]}}]'));
  send(world, pod('projected', 'volumes: [{name: v, projected: {sources: [{secret: {name: none}}]}}]'));
  world.runSettled();
  expect(waiting(world, 'keyed')?.message).toContain('has no key gone (named in spec.volumes[0].configMap.items[0].key)');
  expect(waiting(world, 'projected')?.message).toContain("space/none doesn't exist");
  send(
    world,
    'apiVersion: v1\nkind: Secret\nmetadata: {name: none, namespace: space}\n---\napiVersion: v1\nkind: ConfigMap\nmetadata: {name: c, namespace: space}\ndata: {here: x, gone: y}\n'
  );
  world.runSettled();
  expect(['keyed', 'projected'].map((name) => isReady(get(world, 'Pod', name)))).toEqual([true, true]);
});

test('who may not run as user 0, and an image that is never pulled', () => {
  const world = ready();
  send(world, pod('root', 'securityContext: {runAsNonRoot: true, runAsUser: 0}'));
  send(
    world,
    pod('never').replace('name: main,', 'name: main, imagePullPolicy: Never,').replace(image, 'shelf.standin.example/tools/rare:1')
  );
  world.runSettled();
  expect([waiting(world, 'root')?.reason, waiting(world, 'never')?.reason]).toEqual(['CreateContainerConfigError', 'ErrImageNeverPull']);
});

test('nothing is ready before its probe has looked for the first time', () => {
  const world = ready();
  send(world, pod('slow').replace('name: main,', 'name: main, readinessProbe: {exec: {command: [ok]}, initialDelaySeconds: 120},'));
  world.runUntil(world.nowMs + 100_000);
  expect([get(world, 'Pod', 'slow')!.status!.phase, isReady(get(world, 'Pod', 'slow'))]).toEqual(['Running', false]);
  world.runUntil(world.nowMs + 60_000);
  expect(isReady(get(world, 'Pod', 'slow'))).toBe(true);
});

test('devices and directories are kept apart; a mount that is read only takes no writes', () => {
  const world = ready();
  const uses = (name: string, of: string, how: string) => pod(name, mounts(of)).replace('name: main,', `name: main, ${how},`);
  send(world, claim('raw', 'volumeMode: Block') + uses('mounted', 'raw', 'volumeMounts: [{name: d, mountPath: /d}]'));
  send(world, claim('dir') + uses('device', 'dir', 'volumeDevices: [{name: d, devicePath: /dev/d}]'));
  send(world, claim('shut') + uses('reader', 'shut', 'volumeMounts: [{name: d, mountPath: /d, readOnly: true}]'));
  world.runUntil(world.nowMs + 300_000);
  expect(eventsAbout(world, 'Pod', 'mounted').join()).toContain('volumeMode Block, and the pod names it under volumeMounts');
  expect(eventsAbout(world, 'Pod', 'device').join()).toContain('volumeMode Filesystem, and the pod names it under volumeDevices');
  expect(isReady(get(world, 'Pod', 'reader'))).toBe(true);
  expect(world.act({ type: 'write', namespace: 'space', pod: 'reader', key: 'a', value: 'b' })[0]?.message).toContain('read only');
});

test('services: named ports that nobody has, members given out early, other names', () => {
  const world = ready();
  const service = (name: string, spec: string) =>
    `apiVersion: v1\nkind: Service\nmetadata: {name: ${name}, namespace: space}\nspec: {${spec}}\n---\n`;
  send(world, deployment('replicas: 1'));
  send(
    world,
    service('named', 'selector: {app: d}, ports: [{port: 80, targetPort: web}]') +
      service('plain', 'selector: {app: d}, ports: [{port: 80}]')
  );
  send(world, service('early', 'clusterIP: None, publishNotReadyAddresses: true, selector: {a: b}, ports: [{port: 80}]'));
  send(
    world,
    service('out', 'type: ExternalName, externalName: files.example.test') +
      service('in', 'type: ExternalName, externalName: plain.space.svc.cluster.local')
  );
  send(world, pod('slow').replace('name: main,', 'name: main, readinessProbe: {exec: {command: [ok]}, initialDelaySeconds: 600},'));
  world.runUntil(world.nowMs + 200_000);
  const slice = (name: string) =>
    world.store.list('EndpointSlice', 'space').find((one) => one.metadata.labels?.['kubernetes.io/service-name'] === name)!;
  expect([slice('named').endpoints.length, slice('plain').endpoints.length]).toEqual([0, 1]);
  expect(slice('early').endpoints[0]!.conditions).toMatchObject({ ready: true, serving: false });
  expect(resolve(world.store, 'space', 'in').addresses).toEqual([get(world, 'Service', 'plain')!.spec.clusterIP]);
  expect(resolve(world.store, 'space', 'out')).toMatchObject({
    addresses: [],
    reason: expect.stringContaining('another name for files.example.test')
  });
});

test('a pod that two budgets mean stays; one that is not ready goes where its budget says so', () => {
  const budget = (name: string, more: string) =>
    `apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: ${name}, namespace: space}\nspec: {selector: {matchLabels: {app: d}}, ${more}}\n---\n`;
  const emptied = (budgets: string, template = '') => {
    const world = ready();
    send(world, deployment('replicas: 1', `nodeSelector: {kubernetes.io/hostname: node-a1}${template}`) + budgets);
    world.runUntil(world.nowMs + 120_000);
    const [first] = podsLike(world, 'd');
    send(world, 'apiVersion: standin.example/v1\nkind: Emptying\nmetadata: {name: e}\nspec: {nodes: [node-a1]}\n');
    world.runUntil(world.nowMs + 120_000);
    const [wish] = world.store.list('Emptying');
    return { stays: podsLike(world, 'd').some((one) => one.metadata.uid === first!.metadata.uid), says: wish!.status!.waits?.[0]?.says };
  };
  expect(emptied(budget('one', 'maxUnavailable: 1') + budget('two', 'maxUnavailable: 1'))).toMatchObject({
    stays: true,
    says: expect.stringContaining('2 budgets mean it (one, two)')
  });
  const broken = ', volumes: [{name: v, configMap: {name: gone}}]';
  expect(emptied(budget('one', 'minAvailable: 1'), broken).stays).toBe(true);
  expect(emptied(budget('one', 'minAvailable: 1, unhealthyPodEvictionPolicy: AlwaysAllow'), broken).stays).toBe(false);
});

test('what a set says of its claims, and a class of its mounts, stands on what is made of them', () => {
  const world = ready();
  world.put({ ...world.store.get('StorageClass', '', 'steady-block')!, mountOptions: ['noatime'] });
  send(world, set().replace('- metadata: {name: d}', '- metadata: {name: d, annotations: {example.test/kept: yes-please}}'));
  world.runSettled();
  const one = get(world, 'PersistentVolumeClaim', 'd-s-0')!;
  expect(one.metadata.annotations).toMatchObject({ 'example.test/kept': 'yes-please' });
  expect(world.store.get('PersistentVolume', '', one.spec.volumeName!)!.spec.mountOptions).toEqual(['noatime']);
});
