import { pairsMatch, selectsPodsOf } from '../../model';
import { join, service, deployment } from '../examples';
import { rule, change, hit, nearest } from '../rule';

export default rule({
  id: 'selector-matches-nothing',
  level: 'warning',
  title: 'The service selects nobody',
  why: 'A service without pods behind it has an address that answers nothing. Often one label is spelled another way.',
  absent: ['Pod'],
  bad: join(service('selector: {app: desks}, ports: [{port: 80}]', 'name: front'), deployment()),
  good: join(service('selector: {app: desk}, ports: [{port: 80}]', 'name: front'), deployment()),
  check: (context) =>
    context.written('Service').flatMap((on) => {
      const { selector, type } = on.object.spec;
      const space = on.object.metadata.namespace ?? 'default';
      if (!selector || !Object.keys(selector).length || type === 'ExternalName') return [];
      const makers = [...context.all('StatefulSet', space), ...context.all('Deployment', space), ...context.all('DaemonSet', space)];
      if (!makers.length && !context.target) return [];
      if (
        makers.some((one) => selectsPodsOf(selector, one)) ||
        context.all('Pod', space).some((one) => pairsMatch(selector, one.metadata.labels))
      )
        return [];
      if (makers.some((one) => one.kind === 'StatefulSet' && one.spec.serviceName === on.object.metadata.name)) return [];
      const near = makers.find((one) =>
        Object.entries(selector).every(([key, value]) => nearest(value, [one.spec.template.metadata?.labels?.[key] ?? '']))
      );
      return [
        hit(
          on,
          ['spec', 'selector'],
          `No pod carries ${JSON.stringify(selector)}.`,
          near ? `Select the pods of ${near.metadata.name}.` : 'Select labels that pods carry.',
          near
            ? change(`Select ${near.metadata.name}`, on, { set: ['spec', 'selector'], value: near.spec.selector.matchLabels ?? {} })
            : undefined
        )
      ];
    })
});
