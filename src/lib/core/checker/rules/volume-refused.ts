import { claim, join, storageClass } from '../examples';
import { hit, rule } from '../rule';
import { toBe, writtenAs } from '../to-be';

const asks = (more: string) => claim(`accessModes: [ReadWriteOnce], storageClassName: even${more}, resources: {requests: {storage: 4Gi}}`);

export default rule({
  id: 'volume-refused',
  level: 'error',
  title: 'A volume that its driver would not make',
  why: 'The driver looks at what a claim asks for when it is asked to make the volume, not when the claim is sent: the claim is taken, stays Pending, and whoever mounts it waits.',
  unless: [
    'attributes-unknown',
    'class-unknown',
    'empty-class',
    'fixed-node-waits',
    'many-nodes-on-block',
    'mode-lacking',
    'no-default-class',
    'no-provisioner-at-once',
    'parameter-unknown',
    'source-missing'
  ],
  against: 'north-quay',
  bad: join(storageClass('volumeBindingMode: Immediate'), asks(', selector: {matchLabels: {shelf: a}}')),
  good: join(storageClass('volumeBindingMode: Immediate'), asks('')),
  check: (context) => {
    const seen = new Set<unknown>();
    return toBe(context).claims.flatMap(({ claim: one, by, gets, says }) => {
      // One without a class waits for a volume that somebody makes beforehand; that may come yet.
      const on = gets === 'refused' && one.spec.storageClassName !== '' ? writtenAs(context, by) : undefined;
      if (!on || seen.has(on)) return [];
      seen.add(on);
      return [hit(on, ['spec'], `${one.metadata.name}: ${says}.`, 'Ask for what the class and its driver give, or name another class.')];
    });
  }
});
