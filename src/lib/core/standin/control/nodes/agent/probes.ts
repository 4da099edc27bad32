import type { Container, Facts, Pod, Probe } from '../../../../model';
import { hangsSince } from '../../../provider/outages';
import { listensAt } from '../../../provider/images';

/** What a probe does where it doesn't say, in s and tries. Source: Probe v1 core, defaults. */
const usual = { periodSeconds: 10, failureThreshold: 3, successThreshold: 1 };

const ms = (probe: Probe) => {
  const period = (probe.periodSeconds ?? usual.periodSeconds) * 1_000;
  const delay = (probe.initialDelaySeconds ?? 0) * 1_000;
  return {
    period,
    delay,
    fails: probe.failureThreshold ?? usual.failureThreshold,
    succeeds: probe.successThreshold ?? usual.successThreshold
  };
};

/** The port that a probe asks at, where the program of a known image doesn't listen; undefined where it answers, or that can't be told. */
export function deadPort(container: Container, probe: Probe | undefined): number | string | undefined {
  const { ports = [] } = container;
  const asked = probe?.tcpSocket?.port ?? probe?.httpGet?.port;
  const listens = listensAt(container);
  const port = typeof asked === 'string' ? ports.find((one) => one.name === asked)?.containerPort : asked;
  return asked !== undefined && listens && (port === undefined || !listens.includes(port)) ? asked : undefined;
}

/** A readiness probe that asks at a port where the program doesn't listen. */
export function probeFault(pod: Pod): { readonly container: string; readonly port: number | string } | undefined {
  for (const one of pod.spec.containers) {
    const port = deadPort(one, one.readinessProbe);
    if (port !== undefined) return { container: one.name, port };
  }
  return undefined;
}

/** When a probe first passes, in ms after its container has started: at its first look at or after the program is up. */
function passesMs(probe: Probe, upMs: number): number {
  const { delay, period, succeeds } = ms(probe);
  const looks = upMs <= delay ? 0 : Math.ceil((upMs - delay) / period);
  return delay + (looks + succeeds - 1) * period;
}

/**
 * When all of a pod's containers are seen to be ready, in ms after they started. Readiness isn't looked at before a slow start has passed.
 * Source: the cluster API's "Liveness, Readiness, and Startup Probes".
 * @param upMs when its programs are up
 */
export function seenReadyMs(pod: Pod, upMs: number): number {
  let seen = upMs;
  for (const { readinessProbe, startupProbe } of pod.spec.containers) {
    const began = startupProbe ? passesMs(startupProbe, upMs) : 0;
    seen = Math.max(seen, began, readinessProbe ? began + passesMs(readinessProbe, Math.max(0, upMs - began)) : 0);
  }
  return seen;
}

/** A container that a probe ends, and when. */
export interface Kill {
  readonly container: string;
  readonly probe: 'startup' | 'liveness';
  /** After the container's start, in ms. */
  readonly afterMs: number;
  readonly says: string;
}

/** How long a probe that always fails lets its container run, in ms: until its last permitted look. */
const patienceMs = (probe: Probe): number => {
  const { delay, period, fails } = ms(probe);
  return delay + (fails - 1) * period;
};

function killOf(one: Container, upMs: number): Kill | undefined {
  const { name, startupProbe, livenessProbe } = one;
  const kill = (probe: Kill['probe'], afterMs: number, port: number | string | undefined): Kill => ({
    container: name,
    probe,
    afterMs,
    says:
      port === undefined
        ? `The ${probe} probe of ${name} gave it ${afterMs / 1_000} s to answer, and its start takes longer.`
        : `The ${probe} probe of ${name} asks at port ${port}, where nobody listens.`
  });
  if (startupProbe) {
    const port = deadPort(one, startupProbe);
    if (port !== undefined || upMs > patienceMs(startupProbe)) return kill('startup', patienceMs(startupProbe), port);
  }
  if (!livenessProbe) return undefined;
  const began = startupProbe ? passesMs(startupProbe, upMs) : 0;
  const port = deadPort(one, livenessProbe);
  return port !== undefined || upMs > began + patienceMs(livenessProbe)
    ? kill('liveness', began + patienceMs(livenessProbe), port)
    : undefined;
}

/**
 * The first container that its probes end because they fail for too long: the program starts too slowly for them, or they ask where nobody
 * listens. A program that is up is taken to answer; whether a command in it would succeed can't be told.
 */
export function killBy(pod: Pod, upMs: number): Kill | undefined {
  const kills = pod.spec.containers.flatMap((one) => killOf(one, upMs) ?? []);
  return kills.sort((a, b) => a.afterMs - b.afterMs)[0];
}

/** What probes make of a program that hangs. Moments are virtual ms. */
export interface Hanging {
  /** From when on it doesn't count as ready any more. */
  readonly unreadyMs?: number;
  /** When it is ended and started again; `afterMs` is that moment. */
  readonly kill?: Kill;
}

/**
 * When probes find that a program hangs: those that ask it get no answer; a command beside it may succeed all the same, so such a probe
 * finds nothing. Undefined where nothing hangs.
 */
export function hangingSeen(facts: Facts, pod: Pod): Hanging | undefined {
  const since = hangsSince(facts, pod.metadata.namespace ?? '', pod.metadata.name);
  if (since === undefined) return undefined;
  const foundMs = (probe: Probe | undefined): number | undefined => {
    if (!probe?.tcpSocket && !probe?.httpGet) return undefined;
    const { period, fails } = ms(probe);
    return since + period * fails;
  };
  const least = (list: readonly (number | undefined)[]) => {
    const found = list.filter((one) => one !== undefined);
    return found.length ? Math.min(...found) : undefined;
  };
  const unreadyMs = least(pod.spec.containers.map((one) => foundMs(one.readinessProbe)));
  const afterMs = least(pod.spec.containers.map((one) => foundMs(one.livenessProbe)));
  const container = pod.spec.containers.find((one) => foundMs(one.livenessProbe) === afterMs)?.name ?? '';
  const says = `The liveness probe of ${container} gets no answer.`;
  return {
    ...(unreadyMs === undefined ? {} : { unreadyMs }),
    ...(afterMs === undefined ? {} : { kill: { container, probe: 'liveness', afterMs, says } })
  };
}
