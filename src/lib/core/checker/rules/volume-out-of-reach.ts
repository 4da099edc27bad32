import { join, claim, pod, storageClass } from '../examples';
import { hit, rule } from '../rule';
import { toBe, writtenAs } from '../to-be';

const asks = (mode: string, more: string) =>
  join(
    storageClass(`volumeBindingMode: ${mode}`),
    claim('accessModes: [ReadWriteOnce], storageClassName: even, resources: {requests: {storage: 4Gi}}'),
    pod({ spec: `${more}volumes: [{name: data, persistentVolumeClaim: {claimName: ledger}}]` })
  );

export default rule({
  id: 'volume-out-of-reach',
  level: 'error',
  title: 'A volume that can not be used where its member would stand',
  why: "A volume of one zone is no use on a node of another, nor any volume on a node without the driver's node plugin: the member stands there, and waits for its volume.",
  unless: ['one-node-claim-shared', 'fixed-node-waits'],
  against: 'north-quay',
  bad: asks('Immediate', 'nodeName: n-1\n'),
  good: asks('Immediate', ''),
  check: (context) =>
    toBe(context).parts.flatMap((part) => {
      const on = part.shared && writtenAs(context, part.of);
      return on
        ? [hit(on, ['spec'], `${part.shared!.says}.`, 'Let members stand where their volume can be used, or let the class wait for them.')]
        : [];
    })
});
