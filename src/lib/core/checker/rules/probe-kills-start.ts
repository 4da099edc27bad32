import { pod } from '../examples';
import { imageCard, isKnownImage, killBy } from '../../standin';
import { podPlaces } from '../pods';
import { hit, rule } from '../rule';

const image = 'shelf.standin.example/engines/multi-primary-sql:r4';
const slow = 'startupProbe: {tcpSocket: {port: 7110}, periodSeconds: 10, failureThreshold: 30}';

export default rule({
  id: 'probe-kills-start',
  level: 'error',
  title: 'A probe that ends the program while it starts',
  why: 'Liveness asks from the start on. A store that opens its files and finds its members takes its time; killed before it is up, it begins anew, again and again. A startup probe holds liveness back until the start is over.',
  bad: pod({ image, container: 'livenessProbe: {tcpSocket: {port: 7110}, periodSeconds: 5, failureThreshold: 3}' }),
  good: pod({ image, container: `livenessProbe: {tcpSocket: {port: 7110}, periodSeconds: 5, failureThreshold: 3}\n${slow}` }),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path }) =>
      spec.containers.flatMap((container, i) => {
        if (!isKnownImage(container.image)) return [];
        const most = imageCard(container.image).normalMs[1];
        const kill = killBy({ apiVersion: 'v1', kind: 'Pod', metadata: { name: 'one' }, spec: { ...spec, containers: [container] } }, most);
        if (!kill || /nobody listens/.test(kill.says)) return [];
        return [
          hit(
            on,
            [...path, 'containers', i, kill.probe === 'startup' ? 'startupProbe' : 'livenessProbe'],
            `${container.name} may take ${most / 1_000} s to start, and its ${kill.probe} probe ends it after ${kill.afterMs / 1_000} s.`,
            'Let a startup probe give it time: periodSeconds times failureThreshold longer than the slowest start.'
          )
        ];
      })
    )
});
