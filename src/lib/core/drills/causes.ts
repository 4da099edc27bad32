import { asManifest } from '../manifest';
import { refOf, type ApiObject, type StatefulSet } from '../model';
import { podsIn } from '../proofs';
import { listensAt } from '../standin';
import type { Load } from './load';
import type { Cause, DrillScene, Target } from './types';

/** A set whose members' hanging probes would find, at the first port where the program listens. Times are made up: 10 min for a start, 15 s to answer. */
function watched(set: StatefulSet): ApiObject {
  const containers = set.spec.template.spec.containers.map((one) => {
    // Of a program that isn't known its container says where it listens.
    const port = listensAt(one)?.[0] ?? one.ports?.[0]?.containerPort;
    if (port === undefined) return one;
    const probe = { tcpSocket: { port }, periodSeconds: 5, failureThreshold: 3 };
    return {
      startupProbe: { ...probe, failureThreshold: 120 },
      ...one,
      readinessProbe: one.readinessProbe ?? probe,
      livenessProbe: one.livenessProbe ?? probe
    };
  });
  return asManifest({ ...set, spec: { ...set.spec, template: { ...set.spec.template, spec: { ...set.spec.template.spec, containers } } } });
}

/** Nobody finds out that a member hangs where no probe asks it. */
export function unprobed({ facts, workload }: DrillScene, target: Target): Cause | undefined {
  const [name] = target.members;
  const pod = facts.get('Pod', workload.namespace, name ?? '');
  if (!pod) return undefined;
  const asks = pod.spec.containers.some(({ readinessProbe, livenessProbe }) =>
    [readinessProbe, livenessProbe].some((one) => one?.tcpSocket ?? one?.httpGet)
  );
  if (asks) return undefined;
  const owner = pod.metadata.ownerReferences?.[0];
  const set = owner?.kind === 'StatefulSet' ? facts.get('StatefulSet', workload.namespace, owner.name) : undefined;
  return {
    from: 'known',
    subject: refOf(pod),
    says: `${pod.metadata.name} answers nobody and counts as ready, so clients are led to it: no probe asks it`,
    remedy:
      'Give its container a readiness probe and a liveness probe at the port for clients: the first takes it out of the service, the second starts it again.',
    ...(set ? { manifests: [watched(set)] } : {})
  };
}

/** Why it hurt: what of the promise was given away, else the first break, else what clients were told. */
export function causeOf(
  { facts, workload }: DrillScene,
  target: Target,
  { load, seen, beganMs, lost, worse }: { load: Load; seen: Cause | undefined; beganMs: number; lost: number | null; worse: boolean }
): Cause | undefined {
  const [name] = target.members;
  const pod = facts.get('Pod', workload.namespace, name ?? '');
  const waits = podsIn(facts, workload)
    .map((one) => facts.get('Process', workload.namespace, one.metadata.name)?.spec.options.synchronous)
    .find((one) => one !== undefined);
  if (lost && workload.engine === 'primary-standby-sql' && Number(waits) === 0 && pod)
    return {
      from: 'known',
      subject: refOf(pod),
      says: 'a commit waits for no standby (synchronous: 0), so what the standbys lacked went with the primary',
      remedy: 'Let a commit wait for one standby: it costs a round trip, and nothing acknowledged is lost with one member.'
    };
  if (lost && target.sealed && pod)
    return {
      from: 'known',
      subject: refOf(pod),
      says: `${pod.metadata.name} was started with another key and sealed what it took with that one; once the right one is back nobody opens it`,
      remedy:
        'Let what is sealed be written anew whenever a key changes, and keep the old one; the copy of the secret belongs to the backup.'
    };
  if (seen ?? !worse) return seen;
  const failed = load.failedFrom(beganMs);
  const subject = pod ?? podsIn(facts, workload)[0];
  return (
    failed &&
    subject && {
      from: 'told',
      subject: refOf(subject),
      says: `${failed.failed} of ${failed.asked} things that were asked failed; mostly: ${failed.says}`
    }
  );
}
