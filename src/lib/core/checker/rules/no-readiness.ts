import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'no-readiness',
  level: 'warning',
  title: 'Nothing says when a member is ready',
  why: 'Without a readiness probe a member counts as ready as soon as its program runs. The next one starts too early, and requests go to one that is still reading its data.',
  bad: join(service(), set()),
  good: join(service(), set({ container: 'readinessProbe: {tcpSocket: {port: 7110}, periodSeconds: 5}' })),
  check: ({ written }) =>
    written('StatefulSet').flatMap((on) => {
      const { containers } = on.object.spec.template.spec;
      if (containers.some((one) => one.readinessProbe)) return [];
      const port = containers[0]?.ports?.[0]?.containerPort;
      return [
        hit(
          on,
          ['spec', 'template', 'spec', 'containers', 0],
          `No container of ${on.object.metadata.name} has a readiness probe.`,
          'Add one that asks the port it serves.',
          port === undefined
            ? undefined
            : change(`Ask port ${port}`, on, {
                set: ['spec', 'template', 'spec', 'containers', 0, 'readinessProbe'],
                value: { tcpSocket: { port }, periodSeconds: 5 }
              })
        )
      ];
    })
});
