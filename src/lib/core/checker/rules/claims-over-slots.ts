import { claimsOf } from '../../model';
import { claim, join, pod } from '../examples';
import { classFor, podPlaces } from '../pods';
import { rule, hit } from '../rule';

const claims = (count: number): string =>
  join(
    ...Array.from({ length: count }, (_, i) =>
      claim(
        'accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 10Gi}}',
        `name: c${i}, namespace: events`
      )
    ),
    pod({
      meta: 'name: tool, namespace: events',
      spec: `volumes: [${Array.from({ length: count }, (_, i) => `{name: v${i}, persistentVolumeClaim: {claimName: c${i}}}`).join(', ')}]`
    })
  );

export default rule({
  id: 'claims-over-slots',
  level: 'error',
  title: 'More volumes than a node can attach',
  why: 'A node attaches so many volumes of a driver and no more. A pod with more claims of one driver than any node has slots for is never placed.',
  against: 'north-quay',
  bad: claims(60),
  good: claims(2),
  check: (context) => {
    const nodes = context.target?.list('CSINode') ?? [];
    return podPlaces(context).flatMap(({ on, spec, path, namespace }) => {
      const drivers = new Map<string, number>();
      const templates = on.object.kind === 'StatefulSet' ? (on.object.spec.volumeClaimTemplates ?? []) : [];
      const specs = [
        ...claimsOf(spec).flatMap((name) => context.find('PersistentVolumeClaim', namespace, name)?.spec ?? []),
        ...templates.map((one) => one.spec)
      ];
      for (const one of specs) {
        const driver = classFor(context, one)?.provisioner;
        if (driver !== undefined) drivers.set(driver, (drivers.get(driver) ?? 0) + 1);
      }
      return [...drivers].flatMap(([driver, count]) => {
        const slots = nodes.flatMap((one) =>
          one.spec.drivers.filter((two) => two.name === driver).map((two) => two.allocatable?.count ?? Infinity)
        );
        const most = Math.max(...slots);
        return slots.length && count > most
          ? [
              hit(
                on,
                [...path, 'volumes'],
                `${on.object.metadata.name} asks for ${count} volumes of ${driver}, and no node attaches more than ${most}.`,
                'Share fewer, larger volumes, or several pods.'
              )
            ]
          : [];
      });
    });
  }
});
