import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'set-service-not-headless',
  level: 'error',
  title: "The set's service is not headless",
  why: 'Only a service with clusterIP: None gives each member a name of its own. An ordinary one has one address for all of them.',
  bad: join(service('selector: {app: store}, ports: [{port: 7110}]'), set()),
  good: join(service(), set()),
  check: ({ written, find }) =>
    written('StatefulSet').flatMap((on) => {
      const { serviceName } = on.object.spec;
      const found = serviceName ? find('Service', on.object.metadata.namespace ?? 'default', serviceName) : undefined;
      if (!found || found.spec.clusterIP === 'None') return [];
      const mine = written('Service').find((one) => one.object === found);
      return [
        hit(
          mine ?? on,
          mine ? ['spec'] : ['spec', 'serviceName'],
          `The service "${serviceName}" of ${on.object.metadata.name} has an address of its own (clusterIP ${found.spec.clusterIP ?? 'not None'}), so members get no names.`,
          'Write clusterIP: None.',
          mine ? change('Write clusterIP: None', mine, { set: ['spec', 'clusterIP'], value: 'None' }) : undefined
        )
      ];
    })
});
