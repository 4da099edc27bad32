import { join, service, set } from '../examples';
import { sizeOf, textsOf } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'peers-before-ready',
  level: 'warning',
  title: 'Peers need names before they are ready',
  why: 'Members that find each other by name to found a cluster need those names while none of them is ready yet. The headless service must publish them: publishNotReadyAddresses.',
  bad: join(service(), set({ spec: 'replicas: 3', container: 'args: [--join, "store-0.store,store-1.store"]' })),
  good: join(
    service('clusterIP: None, publishNotReadyAddresses: true, selector: {app: store}, ports: [{port: 7110}]'),
    set({ spec: 'replicas: 3', container: 'args: [--join, "store-0.store,store-1.store"]' })
  ),
  check: ({ written, find }) =>
    written('StatefulSet').flatMap((on) => {
      const { serviceName, template } = on.object.spec;
      const space = on.object.metadata.namespace ?? 'default';
      const found = serviceName ? find('Service', space, serviceName) : undefined;
      if (!found || found.spec.clusterIP !== 'None' || found.spec.publishNotReadyAddresses || sizeOf(on.object) < 2) return [];
      const peer = new RegExp(`\\b${on.object.metadata.name}-\\d+\\.${serviceName}\\b`);
      const texts = [
        ...template.spec.containers.flatMap((one) => textsOf(one, []).map((two) => two.text)),
        ...(template.spec.volumes ?? []).flatMap((one) => Object.values(find('ConfigMap', space, one.configMap?.name ?? '')?.data ?? {}))
      ];
      if (!texts.some((text) => peer.test(text))) return [];
      const mine = written('Service').find((one) => one.object === found);
      return [
        hit(
          mine ?? on,
          mine ? ['spec'] : ['spec', 'serviceName'],
          `The members of ${on.object.metadata.name} name each other, and "${serviceName}" gives names to ready ones only.`,
          'Write publishNotReadyAddresses: true.',
          mine
            ? change('Write publishNotReadyAddresses: true', mine, { set: ['spec', 'publishNotReadyAddresses'], value: true })
            : undefined
        )
      ];
    })
});
