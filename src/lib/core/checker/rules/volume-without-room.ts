import { claim, join, storageClass } from '../examples';
import { rule } from '../rule';
import { claimHits } from '../to-be';

const asks = (size: string) => claim(`accessModes: [ReadWriteOnce], storageClassName: even, resources: {requests: {storage: ${size}}}`);

export default rule({
  id: 'volume-without-room',
  level: 'error',
  title: 'A volume that its backend has no room for',
  why: "A volume lies where its member comes to stand, or where its class puts it. What is left elsewhere doesn't help: the claim stays Pending there.",
  unless: ['size-out-of-range'],
  against: 'north-quay',
  bad: join(storageClass('volumeBindingMode: Immediate'), asks('990Gi')),
  good: join(storageClass('volumeBindingMode: Immediate'), asks('40Gi')),
  check: (context) =>
    claimHits(
      context,
      'no-room',
      ({ claim: { metadata, spec }, says }) => `${metadata.name} asks for ${spec.resources.requests.storage}, and ${says}.`,
      'Ask for less, free room there, let the member stand where there is some, or give the backend more.'
    )
});
