import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit } from '../rule';

const probe = (more: string): string => `livenessProbe: {tcpSocket: {port: 7110}, ${more}}`;
/** Source: Probe v1 core, defaults of periodSeconds and failureThreshold. */
const [usualPeriod, usualMisses] = [10, 3];

export default rule({
  id: 'liveness-hasty',
  level: 'warning',
  title: 'Killed at the first pause',
  /** Less time than this to come round is taken for too little (common practice, no source). */
  threshold: { usual: 10, unit: 's', range: [1, 600] },
  why: 'A liveness probe that misses its threshold kills the program. A store that writes out, elects or is short of CPU for some seconds does not answer: killed then, it comes back with more to catch up on than before.',
  bad: pod({ container: probe('periodSeconds: 1, failureThreshold: 1') }),
  good: pod({ container: probe('periodSeconds: 10, failureThreshold: 6') }),
  check: (context, bound) =>
    containerPlaces(context, false).flatMap(({ on, container, at }) => {
      const live = container.livenessProbe as { periodSeconds?: number; failureThreshold?: number } | undefined;
      if (!live) return [];
      const [period, misses] = [live.periodSeconds ?? usualPeriod, live.failureThreshold ?? usualMisses];
      if (period * misses >= bound) return [];
      return [
        hit(
          on,
          [...at, 'livenessProbe'],
          `${container.name} is killed after ${period * misses} s without an answer.`,
          'Give it half a minute at least.',
          change(
            'Give it a minute',
            on,
            { set: [...at, 'livenessProbe', 'periodSeconds'], value: 10 },
            { set: [...at, 'livenessProbe', 'failureThreshold'], value: Math.max(6, Math.ceil(bound / 10)) }
          )
        )
      ];
    })
});
