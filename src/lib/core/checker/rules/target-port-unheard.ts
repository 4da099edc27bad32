import { plainText } from '../../shared';
import { selectsPodsOf } from '../../model';
import { join, service, deployment } from '../examples';
import { rule, change, hit, nearest, listed } from '../rule';

export default rule({
  id: 'target-port-unheard',
  level: 'error',
  title: 'Nobody listens on the target port',
  why: 'A service hands requests to a port of the pods behind it. When none of their containers names that port, every request is refused.',
  bad: join(
    service('selector: {app: desk}, ports: [{port: 80, targetPort: web}]', 'name: front'),
    deployment({ container: 'ports: [{name: http, containerPort: 8080}]' })
  ),
  good: join(
    service('selector: {app: desk}, ports: [{port: 80, targetPort: http}]', 'name: front'),
    deployment({ container: 'ports: [{name: http, containerPort: 8080}]' })
  ),
  check: (context) =>
    context.written('Service').flatMap((on) => {
      const { selector } = on.object.spec;
      const space = on.object.metadata.namespace ?? 'default';
      const makers = [...context.all('StatefulSet', space), ...context.all('Deployment', space), ...context.all('DaemonSet', space)].filter(
        (one) => selectsPodsOf(selector, one)
      );
      const ports = makers.flatMap((one) => one.spec.template.spec.containers.flatMap((two) => two.ports ?? []));
      if (!ports.length) return [];
      return (on.object.spec.ports ?? []).flatMap((one, i) => {
        const wanted = one.targetPort ?? one.port;
        if (ports.some((two) => two.name === wanted || two.containerPort === Number(wanted))) return [];
        const named = ports.map((two) => two.name ?? String(two.containerPort));
        const near =
          ports.find((two) => two.name === one.name) ??
          ports.find((two) => two.name === nearest(plainText(wanted), named)) ??
          (ports.length === 1 ? ports[0] : undefined);
        const better = near && (near.name ?? near.containerPort);
        const path = ['spec', 'ports', i, 'targetPort'];
        return [
          hit(
            on,
            path,
            `The port ${wanted} is none of ${listed(named)}, which the pods behind ${on.object.metadata.name} name.`,
            better ? `Write targetPort: ${better}.` : 'Name a port of the pods.',
            better ? change(`Write ${better}`, on, { set: path, value: better }) : undefined
          )
        ];
      });
    })
});
