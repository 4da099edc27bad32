import { pairsMatch } from '../../model';
import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'set-service-selector',
  level: 'error',
  title: "The service selects other labels than the members'",
  why: "The service finds the members by their labels. When one pair differs it finds nobody, and no member's name resolves.",
  bad: join(service('clusterIP: None, selector: {app: stores}, ports: [{port: 7110}]'), set()),
  good: join(service(), set()),
  check: ({ written, find }) =>
    written('StatefulSet').flatMap((on) => {
      const { serviceName, template } = on.object.spec;
      const found = serviceName ? find('Service', on.object.metadata.namespace ?? 'default', serviceName) : undefined;
      const labels = template.metadata?.labels ?? {};
      if (!found || pairsMatch(found.spec.selector, labels)) return [];
      const mine = written('Service').find((one) => one.object === found);
      const selector = on.object.spec.selector.matchLabels ?? labels;
      return [
        hit(
          mine ?? on,
          mine ? ['spec', 'selector'] : ['spec', 'serviceName'],
          `The service "${serviceName}" selects ${JSON.stringify(found.spec.selector ?? {})}; the members of ${on.object.metadata.name} carry ${JSON.stringify(labels)}.`,
          "Let the service select the members' labels.",
          mine ? change("Select the members' labels", mine, { set: ['spec', 'selector'], value: selector }) : undefined
        )
      ];
    })
});
