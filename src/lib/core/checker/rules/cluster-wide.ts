import { storageClass } from '../examples';
import { rule } from '../rule';

export default rule({
  id: 'cluster-wide',
  level: 'error',
  title: 'A namespace on what belongs to the whole cluster',
  why: 'Classes, volumes, nodes and drivers belong to the cluster. A namespace on them is a sign that the writer took them for something else.',
  bad: storageClass(undefined, 'name: even, namespace: tickets'),
  good: storageClass(),
  repair: () => ({ says: 'Leave the namespace out', own: [{ drop: ['metadata', 'namespace'] }] })
});
