import { deployment } from '../examples';
import { containerPlaces } from '../pods';
import { change, hit, rule } from '../rule';

export default rule({
  id: 'host-port-crowded',
  level: 'error',
  title: 'More pods on a host port than there are nodes',
  why: 'A port of the node is there once on each node. Of several pods that ask for the same one, as many are placed as there are nodes; the others wait for ever, and a rollout finds no room beside the old ones.',
  against: 'north-quay',
  bad: deployment({
    meta: 'name: desk, namespace: events',
    top: 'replicas: 40',
    container: 'ports: [{containerPort: 8080, hostPort: 8080}]'
  }),
  good: deployment({ meta: 'name: desk, namespace: events', top: 'replicas: 40', container: 'ports: [{containerPort: 8080}]' }),
  check: (context) =>
    containerPlaces(context, false).flatMap(({ on, container, at }) => {
      const nodes = context.target?.list('Node').length;
      const { object } = on;
      const count = object.kind === 'Deployment' || object.kind === 'StatefulSet' ? (object.spec.replicas ?? 1) : 1;
      if (nodes === undefined || count <= nodes) return [];
      return (container.ports ?? []).flatMap((port, i) => {
        const taken = (port as { hostPort?: number }).hostPort;
        if (!taken) return [];
        const path = [...at, 'ports', i, 'hostPort'];
        return [
          hit(
            on,
            path,
            `${count} pods of ${object.metadata.name} ask for port ${taken} of their nodes, and there are ${nodes} nodes.`,
            'Leave hostPort out and use a service.',
            change('Leave hostPort out', on, { drop: path })
          )
        ];
      });
    })
});
