import { claim, join, storageClass } from '../examples';
import { hit, rule } from '../rule';
import { toBe, writtenAs } from '../to-be';

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
  check: (context) => {
    const seen = new Set<unknown>();
    return toBe(context).claims.flatMap(({ claim: one, by, gets, says }) => {
      const on = gets === 'no-room' ? writtenAs(context, by) : undefined;
      if (!on || seen.has(on)) return [];
      seen.add(on);
      return [
        hit(
          on,
          ['spec'],
          `${one.metadata.name} asks for ${one.spec.resources.requests.storage}, and ${says}.`,
          'Ask for less, free room there, let the member stand where there is some, or give the backend more.'
        )
      ];
    });
  }
});
