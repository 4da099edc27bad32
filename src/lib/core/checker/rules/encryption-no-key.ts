import { standingOf, isEncrypted } from '../../standin';
import { storageClass } from '../examples';
import { rule, hit } from '../rule';

export default rule({
  id: 'encryption-no-key',
  level: 'error',
  title: 'The driver may not use the key',
  why: "A class that encrypts needs one right more: the driver's identity must be allowed to use the key. Without it every claim of the class is refused (PERMISSION_DENIED).",
  against: 'north-quay',
  absent: ['Secret'],
  bad: storageClass(
    'parameters: {encrypted: "true"}, volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Retain, allowVolumeExpansion: true',
    'name: sealed'
  ),
  good: storageClass(undefined, 'name: open'),
  check: ({ written, target, all }) =>
    written('StorageClass').flatMap((on) => {
      if (!target?.knowsProvider || !isEncrypted(on.object)) return [];
      const { missing, identity } = standingOf(target, on.object.provisioner, ['key-use']);
      const sent = all('Identity').find((one) => one.spec.driver === on.object.provisioner);
      if (!missing.length || sent?.spec.rights.includes('key-use')) return [];
      const better = identity && {
        ...identity,
        metadata: { name: identity.metadata.name },
        spec: { ...identity.spec, rights: [...identity.spec.rights, 'key-use' as const] }
      };
      return [
        hit(
          on,
          ['parameters', 'encrypted'],
          `${on.object.metadata.name} encrypts, and the identity of ${on.object.provisioner} has no right to use the key.`,
          'Give it the right key-use.',
          better ? { says: 'Give it the right', add: [better] } : undefined
        )
      ];
    })
});
