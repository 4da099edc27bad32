import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'set-service-elsewhere',
  level: 'error',
  title: "The set's service stands in another namespace",
  why: 'A service gives names to pods of its own namespace only. One of the right name in another namespace does nothing for the set.',
  bad: join('apiVersion: v1\nkind: Namespace\nmetadata: {name: tickets}\n', service(undefined, 'name: store, namespace: tickets'), set()),
  good: join(service(), set()),
  check: ({ written, find, all }) =>
    written('StatefulSet').flatMap((on) => {
      const { serviceName } = on.object.spec;
      const space = on.object.metadata.namespace ?? 'default';
      if (!serviceName || find('Service', space, serviceName)) return [];
      const elsewhere = all('Service').find((one) => one.metadata.name === serviceName);
      if (!elsewhere) return [];
      const mine = written('Service').find((one) => one.object === elsewhere);
      return [
        hit(
          on,
          ['spec', 'serviceName'],
          `The service "${serviceName}" stands in ${elsewhere.metadata.namespace}, the set in ${space}.`,
          `Put both into one namespace.`,
          mine ? change(`Move the service to ${space}`, mine, { set: ['metadata', 'namespace'], value: space }) : undefined
        )
      ];
    })
});
