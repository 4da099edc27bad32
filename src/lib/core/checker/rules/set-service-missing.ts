import { pairsMatch, type ApiObject } from '../../model';
import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'set-service-missing',
  level: 'error',
  title: "The set's service does not exist",
  why: "Each member's name, <pod>.<service>, hangs on the headless service that spec.serviceName names. Without it the members run, but nobody finds them, and peers never meet. The field can't be changed later.",
  absent: ['Service'],
  bad: set(),
  good: join(service(), set()),
  check: ({ written, find, all }) =>
    written('StatefulSet').flatMap((on) => {
      const { serviceName, template } = on.object.spec;
      const space = on.object.metadata.namespace ?? 'default';
      const path = ['spec', 'serviceName'];
      const name = serviceName ?? on.object.metadata.name;
      if (serviceName && find('Service', space, serviceName)) return [];
      if (serviceName && all('Service').some((one) => one.metadata.name === serviceName)) return [];
      const there = all('Service', space).filter(
        (one) => one.spec.clusterIP === 'None' && pairsMatch(one.spec.selector, template.metadata?.labels)
      );
      const labels = on.object.spec.selector.matchLabels ?? {};
      const ports = template.spec.containers
        .flatMap((one) => one.ports ?? [])
        .map((one, i) => {
          const protocol = (['UDP', 'SCTP'] as const).find((each) => each === one.protocol);
          return { name: one.name ?? `port-${i}`, port: one.containerPort, ...(protocol ? { protocol } : {}) };
        });
      const made: ApiObject = {
        apiVersion: 'v1',
        kind: 'Service',
        metadata: { name, namespace: space },
        spec: { clusterIP: 'None', selector: labels, ...(ports.length ? { ports } : {}) }
      };
      const says = serviceName
        ? `The service "${serviceName}" of ${on.object.metadata.name} does not exist in ${space}.`
        : `${on.object.metadata.name} names no service, so its members have no names.`;
      if (there[0])
        return [
          hit(
            on,
            path,
            says,
            `Write ${there[0].metadata.name}, which selects these members.`,
            change(`Write ${there[0].metadata.name}`, on, { set: path, value: there[0].metadata.name })
          )
        ];
      return [
        hit(on, path, says, 'Send a headless service of that name that selects the members.', {
          says: `Add the headless service ${name}`,
          add: [made],
          ...(serviceName ? {} : { wishes: [{ on, wish: { set: path, value: name } }] })
        })
      ];
    })
});
