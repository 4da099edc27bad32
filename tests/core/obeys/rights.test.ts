/* What service accounts may do. Source: the cluster API's "Using RBAC Authorization". */
import { expect, test } from 'vitest';
import { ownRoles } from '$core/standin';
import { firstBreak, ref } from '../help';
import { claim, eventsAbout, get, mounts, pod, ready, send, set } from './help';

const role = { kind: 'ClusterRole', namespace: '', name: 'block-driver' } as const;

test('a driver whose account lost its binding makes nothing: events and the root line name verb and resource, and the remedy gives it back', () => {
  const world = ready();
  world.act({ type: 'remove', ref: { ...role, kind: 'ClusterRoleBinding' } });
  send(world, claim('c') + pod('p', mounts('c')));
  world.runUntil(world.nowMs + 60_000);
  expect(eventsAbout(world, 'PersistentVolumeClaim', 'c').join()).toMatch(
    /Persistentvolumes is forbidden: system:serviceaccount:\S+:\S+ may not create persistentvolumes/
  );
  const broken = firstBreak(world, ref('Pod', 'space', 'p'))!;
  expect([broken.joint, broken.says]).toEqual(['rights', expect.stringContaining('may not create persistentvolumes')]);
  world.act({ type: 'send', objects: broken.remedy!.manifests! });
  world.runSettled();
  expect(get(world, 'Pod', 'p')!.status!.phase).toBe('Running');
});

test('each call asks for its own right: attaching, growing, taking snapshots, deleting', () => {
  const world = ready();
  send(world, set());
  world.runSettled();
  const rules = (verbs: string) =>
    `apiVersion: rbac.authorization.k8s.io/v1\nkind: ClusterRole\nmetadata: {name: block-driver}\nrules:\n- {apiGroups: [""], resources: [persistentvolumes], verbs: [${verbs}]}\n---\n`;
  send(world, rules('get, create'));
  send(world, claim('late') + pod('p', mounts('late')));
  world.runUntil(world.nowMs + 60_000);
  expect(eventsAbout(world, 'Pod', 'p').join()).toContain('may not patch volumeattachments of storage.k8s.io');
  send(
    world,
    claim('d-s-0', '', '2Gi').replace(
      'spec: {',
      `spec: {volumeName: ${get(world, 'PersistentVolumeClaim', 'd-s-0')!.spec.volumeName}, storageClassName: ${get(world, 'PersistentVolumeClaim', 'd-s-0')!.spec.storageClassName}, `
    )
  );
  world.runUntil(world.nowMs + 60_000);
  expect(eventsAbout(world, 'PersistentVolumeClaim', 'd-s-0').join()).toContain('may not patch persistentvolumes');
  // Rights that come by a group count as well.
  send(
    world,
    'apiVersion: rbac.authorization.k8s.io/v1\nkind: ClusterRole\nmetadata: {name: all}\nrules: [{apiGroups: ["*"], resources: ["*"], verbs: ["*"]}]\n---\napiVersion: rbac.authorization.k8s.io/v1\nkind: ClusterRoleBinding\nmetadata: {name: all}\nsubjects: [{kind: Group, apiGroup: rbac.authorization.k8s.io, name: "system:serviceaccounts"}]\nroleRef: {apiGroup: rbac.authorization.k8s.io, kind: ClusterRole, name: all}\n'
  );
  world.runUntil(world.nowMs + 600_000);
  expect(get(world, 'Pod', 'p')!.status!.phase).toBe('Running');
  expect(get(world, 'PersistentVolumeClaim', 'd-s-0')!.status!.capacity!.storage).toBe('2Gi');
});

test("a driver's own roles go with it, shared ones stay", () => {
  const world = ready();
  expect(ownRoles(world.store, 'block.standin.example').map((one) => `${one.kind} ${one.name}`)).toEqual([
    'ClusterRoleBinding block-driver',
    'ClusterRole block-driver'
  ]);
  send(
    world,
    'apiVersion: rbac.authorization.k8s.io/v1\nkind: ClusterRoleBinding\nmetadata: {name: others}\nsubjects: [{kind: ServiceAccount, name: default, namespace: space}]\nroleRef: {apiGroup: rbac.authorization.k8s.io, kind: ClusterRole, name: block-driver}\n'
  );
  expect(ownRoles(world.store, 'block.standin.example').map((one) => one.kind)).toEqual(['ClusterRoleBinding']);
});
