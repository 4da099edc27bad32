import { claim, join, storageClass } from '../examples';
import { rule } from '../rule';
import { claimHits } from '../to-be';

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
  check: (context) =>
    claimHits(
      context,
      'refused',
      ({ claim: { metadata }, says }) => `${metadata.name}: ${says}.`,
      'Ask for what the class and its driver give, or name another class.'
    )
});
