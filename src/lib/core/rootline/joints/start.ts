import { bytesOf, quantityOf } from '../../shared';
import { asManifest } from '../../manifest';
import { refOf, setOf, type Facts, type Pod } from '../../model';
import { clusterVersion, fillAt, fittingImage, fullMount, imageVersionFault, ownerFault, roomIn } from '../../standin';
import { compact, field, isRunning, lastEvent, look, ref, waitingOf } from '../evidence';
import type { JointRule, Look } from '../types';

/** The volume's files belong to somebody else: a file-system group bridges that, and privileges aren't needed. */
function ownerLook(facts: Facts, pod: Pod, label: string): Look | undefined {
  const fault = facts.knowsProvider ? ownerFault(facts, pod) : undefined;
  if (!fault) return undefined;
  const owner = setOf(facts, pod);
  const template = owner?.spec.template;
  const group = { ...template?.spec.securityContext, fsGroup: fault.user };
  const mended = owner &&
    template && { ...owner, spec: { ...owner.spec, template: { ...template, spec: { ...template.spec, securityContext: group } } } };
  return look(
    'broken',
    label,
    `permission denied: the files of ${fault.claim} belong to user ${fault.owner}, the program runs as ${fault.user}`,
    {
      objects: [refOf(pod)],
      evidence: compact([
        field(pod, 'spec.securityContext.runAsUser', fault.user),
        field(pod, 'spec.securityContext.fsGroup', undefined),
        lastEvent(facts, pod, ['BackOff'])
      ]),
      remedy: {
        text: `Set securityContext.fsGroup: ${fault.user} in the pod: the volume is then given to that group, and no privileges are needed. Then take ${pod.metadata.name} away: an ordered set doesn't replace a member that never was ready.`,
        ...(mended ? { manifests: [asManifest(mended)] } : {})
      }
    }
  );
}

function fullLook(facts: Facts, pod: Pod, label: string): Look | undefined {
  const full = facts.knowsProvider ? fullMount(facts, pod) : undefined;
  if (!full?.asset) return undefined;
  const size = bytesOf(full.asset.spec.size);
  return look('broken', label, `no space left on device: the volume of ${full.claim} is full`, {
    objects: [refOf(pod), ref('PersistentVolumeClaim', pod.metadata.namespace ?? '', full.claim)],
    evidence: compact([
      field(
        full.asset,
        'status.fill',
        `${Math.round(fillAt(full.asset, facts.nowMs) / 2 ** 20).toLocaleString('en')} MiB of ${Math.round(roomIn(full.asset) / 2 ** 20).toLocaleString('en')} MiB that ${full.asset.spec.fsType} leaves of ${full.asset.spec.size}`
      ),
      lastEvent(facts, pod, ['BackOff'])
    ]),
    remedy: { text: `Grow the claim ${full.claim}, e.g. to ${quantityOf(size + size / 2)}; the member starts again by itself.` }
  });
}

/** An image in a version that doesn't run on this cluster, where another one does. */
function versionLook(facts: Facts, pod: Pod, label: string): Look | undefined {
  const cluster = clusterVersion(facts);
  const unfit = pod.spec.containers.find((one) => imageVersionFault(one.image, cluster));
  if (!unfit) return undefined;
  const better = fittingImage(unfit.image, cluster);
  const owner = setOf(facts, pod);
  const template = owner?.spec.template;
  const containers = template?.spec.containers.map((one) => (one.image === unfit.image && better ? { ...one, image: better } : one));
  const mended = owner &&
    template &&
    containers && { ...owner, spec: { ...owner.spec, template: { ...template, spec: { ...template.spec, containers } } } };
  return look('broken', label, `ends at once: ${imageVersionFault(unfit.image, cluster)}`, {
    objects: [refOf(pod)],
    evidence: compact([field(pod, 'spec.containers[].image', unfit.image), lastEvent(facts, pod, ['BackOff'])]),
    remedy: {
      text: better
        ? `Use ${better}. Then take ${pod.metadata.name} away: an ordered set doesn't replace a member that never was ready.`
        : 'No version of it fits this cluster.',
      ...(mended && better ? { manifests: [asManifest(mended)] } : {})
    }
  });
}

/** Do the member's containers run? */
export const start = {
  id: 'start' as const,
  shared: false,
  title: 'Started',
  why: 'A program that ends at once is started again, with ever longer waits between.',
  perClaim: false,
  look({ facts, pod, spec, podName, namespace }) {
    if (podName === undefined || !spec) return undefined;
    const label = spec.containers.map((one) => one.name).join(', ');
    const objects = [pod ? refOf(pod) : ref('Pod', namespace, podName)];
    if (!pod) return look('waiting', label, 'waits for the member', { objects });
    if (isRunning(pod))
      return look('holds', label, `running, ${pod.status?.containerStatuses?.[0]?.restartCount ?? 0} restarts`, { objects });
    const waiting = waitingOf(pod);
    if (waiting?.reason === 'CrashLoopBackOff') {
      const special = versionLook(facts, pod, label) ?? ownerLook(facts, pod, label) ?? fullLook(facts, pod, label);
      if (special) return special;
      return look('broken', label, (waiting.message ?? 'the program ends at once').replace(/\.$/, ''), {
        objects,
        evidence: compact([
          field(pod, 'status.containerStatuses[].state.waiting.reason', waiting.reason),
          field(pod, 'status.containerStatuses[].restartCount', pod.status?.containerStatuses?.[0]?.restartCount),
          lastEvent(facts, pod, ['BackOff'])
        ]),
        remedy: {
          text: / probe of /.test(waiting.message ?? '')
            ? 'Let a startupProbe give the start its time (periodSeconds times failureThreshold), and ask at a port where the program listens.'
            : /memory/.test(waiting.message ?? '')
              ? 'Raise the memory limit to what the program needs, and send the workload again.'
              : "Read the container's log; mend its configuration."
        }
      });
    }
    const early = (pod.status?.initContainerStatuses ?? []).find((one) => one.state?.running && !one.ready);
    if (early) return look('waiting', label, `waits for the init container ${early.name}, which is at work`, { objects });
    return look('waiting', label, 'waits for its image', { objects });
  }
} satisfies JointRule;
