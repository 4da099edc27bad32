import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { isVague, jointOf, tellingPart, verdictOf, type Doing } from '$core/exports';

describe("the scheduler's verdict, phrase by phrase", () => {
  test.each([
    [
      '0/6 nodes are available: 1 node(s) had untolerated taint {dedicated: batch}, 2 Insufficient cpu, 3 node(s) had volume node affinity conflict. preemption: 0/6 nodes are available: 6 Preemption is not helpful for scheduling.',
      6,
      ['taint 1', 'resource 2', 'volume-zone 3']
    ],
    ["0/3 nodes are available: 3 node(s) didn't match Pod's node affinity/selector.", 3, ['selector 3']],
    [
      "0/4 nodes are available: 1 node(s) were unschedulable, 3 node(s) didn't match pod anti-affinity rules.",
      4,
      ['closed 1', 'anti-affinity 3']
    ],
    ["0/4 nodes are available: 4 node(s) didn't match pod topology spread constraints.", 4, ['spread 4']],
    [
      '0/5 nodes are available: 2 node(s) exceed max volume count, 3 node(s) did not have enough free storage.',
      5,
      ['volume-count 2', 'capacity 3']
    ],
    ["0/5 nodes are available: 5 node(s) didn't have free ports for the requested pod ports.", 5, ['ports 5']],
    ["0/2 nodes are available: 2 node(s) didn't find available persistent volumes to bind.", 2, ['no-volume 2']],
    [
      "0/4 nodes are available: 1 node(s) had taint {dedicated: batch}, that the pod didn't tolerate, 3 Insufficient memory.",
      4,
      ['taint 1', 'resource 3']
    ],
    ['0/2 nodes are available: 1 Too many pods, 1 Insufficient ephemeral-storage.', 2, ['pods 1', 'resource 1']],
    ['0/3 nodes are available: pod has unbound immediate PersistentVolumeClaims.', 3, ['unbound -']],
    ['persistentvolumeclaim "data-a" not found', undefined, ['claim-missing -']],
    ['0/3 nodes are available: persistentvolumeclaim "data-a" is being deleted.', 3, ['claim-going -']],
    ['running PreBind plugin "VolumeBinding": binding volumes: timed out waiting for the condition', undefined, ['unbound -']]
  ])('%s', (message, of, parts) => {
    const verdict = verdictOf(message);
    expect(verdict.of).toBe(of);
    expect(verdict.parts.map((one) => `${one.kind} ${one.nodes ?? '-'}`)).toEqual(parts);
  });
});

describe('which joint a refusal breaks', () => {
  // Wordings as the components write them, from memory of their sources; they differ between versions, so that meaning is looked for.
  test.each<[Doing, string, string]>([
    ['provision', 'rpc error: code = ResourceExhausted desc = no pool with 30 GiB left', 'backend'],
    ['provision', 'rpc error: code = Internal desc = create volume: 503 service unavailable', 'backend'],
    ['provision', 'rpc error: code = DeadlineExceeded desc = context deadline exceeded', 'backend'],
    ['provision', 'rpc error: code = Internal desc = identity is not authorized to create volumes', 'rights'],
    [
      'provision',
      'error getting secret x in namespace y: secrets "x" is forbidden: User "system:serviceaccount:a:b" cannot get resource "secrets" in API group ""',
      'rights'
    ],
    ['provision', 'rpc error: code = InvalidArgument desc = unsupported option "tier"', 'class'],
    ['provision', 'error getting provisioner secret: secrets "pool-login" not found', 'class'],
    ['provision', 'error generating accessibility requirements: no available topology found', 'driver'],
    [
      'provision',
      'rpc error: code = Unavailable desc = connection error: desc = "transport: Error while dialing: dial unix /csi/csi.sock: connect: no such file or directory"',
      'driver'
    ],
    ['provision', 'claim Selector is not supported', 'claim'],
    ['provision', 'error getting snapshot before from api server: volumesnapshots.snapshot.storage.k8s.io "before" not found', 'snapshot'],
    ['provision', 'rpc error: code = OutOfRange desc = iops of the class are above 5000', 'class'],
    ['attach', 'Multi-Attach error for volume "v" Volume is already used by pod(s) a-0', 'attaching'],
    ['attach', 'CSINode node-2 does not contain driver disks.quarry.example', 'driver'],
    ['attach', 'rpc error: code = NotFound desc = machine "n-9" not found', 'node'],
    ['attach', 'rpc error: code = NotFound desc = volume q-1 does not exist', 'volume'],
    ['attach', 'timed out waiting for external-attacher of disks.quarry.example CSI driver to attach volume q-1', 'attaching'],
    ['mount', 'MountVolume.SetUp failed for volume "s" : references non-existent secret key: password', 'references'],
    ['mount', 'MountVolume.SetUp failed for volume "t" : failed to fetch token: serviceaccounts "a" not found', 'references'],
    ['mount', 'driver name disks.quarry.example not found in the list of registered CSI drivers', 'driver'],
    ['mount', 'rpc error: code = Internal desc = could not format "/dev/sdb" and mount it: exit status 32', 'mounting'],
    ['mount', 'mount failed: exit status 32 Output: mount.nfs: access denied by server while mounting 10.7.0.9:/srv', 'target'],
    ['create', 'pods "a" is forbidden: failed quota: team: must specify limits.cpu for: main', 'quota'],
    ['create', 'Internal error occurred: failed calling webhook "x.example": context deadline exceeded', 'admitted'],
    ['create', 'pods "a-" is forbidden: no PriorityClass with name vital was found', 'admitted'],
    ['grow', 'rpc error: code = InvalidArgument desc = unknown parameter "tier"', 'class'],
    ['grow', 'rpc error: code = Unimplemented desc = ', 'driver'],
    ['delete', 'rpc error: code = FailedPrecondition desc = volume has snapshots', 'volume'],
    ['snapshot', 'cannot find default snapshot class', 'snapshot'],
    ['snapshot', 'rpc error: code = PermissionDenied desc = no', 'rights']
  ])('%s: %s', (doing, message, joint) => expect(jointOf(doing, message)).toBe(joint));

  test('a name in the message, whatever it is, does not change the joint', () => {
    const name = fc.constantFrom('quota-403', 'unauthorized', 'pool-full', 'snapshot-1', 'timeout-503', 'in-use', 'secret', 'vm-not-found');
    const refusal = fc.constantFrom<[string, string]>(
      ['rpc error: code = ResourceExhausted desc = no room for "NAME"', 'backend'],
      ['rpc error: code = PermissionDenied desc = may not make "NAME"', 'rights'],
      ['rpc error: code = InvalidArgument desc = "NAME" is no kind of disk', 'class'],
      ['failed to provision volume with StorageClass "NAME": rpc error: code = ResourceExhausted desc = tape-401, tape-403: no', 'backend']
    );
    fc.assert(
      fc.property(name, refusal, (one, [message, joint]) => {
        expect(jointOf('provision', message.replace('NAME', one))).toBe(joint);
      })
    );
  });

  test('what tells nothing but a retry is known as such, and the telling part stands alone', () => {
    for (const one of [
      'Unable to attach or mount volumes: unmounted volumes=[data]: timed out waiting for the condition',
      'rpc error: code = Aborted desc = an operation with the given Volume ID v already exists'
    ])
      expect(isVague(one)).toBe(true);
    expect(isVague('rpc error: code = ResourceExhausted desc = full')).toBe(false);
    expect(tellingPart('failed to provision volume with StorageClass "a": rpc error: code = Internal desc = pool is\n broken.')).toBe(
      'Internal: pool is broken'
    );
    expect(tellingPart('x'.repeat(400))).toHaveLength(180);
  });
});
