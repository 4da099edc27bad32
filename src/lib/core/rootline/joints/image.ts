import { refOf } from '../../model';
import { asManifest } from '../../manifest';
import { imageParts, pullOf } from '../../standin';
import { compact, field, isRunning, lastEvent, look, ref, waitingOf } from '../evidence';
import type { JointRule } from '../types';

const pulling = ['ErrImagePull', 'ImagePullBackOff', 'InvalidImageName'];

/** Can the member's images be had? */
export const image: JointRule = {
  id: 'image',
  title: 'Image',
  why: "Each node pulls the image itself. A registry that the nodes can't reach, or that lacks the image, stops a member before its first line runs.",
  perClaim: false,
  look({ facts, pod, spec, podName, namespace }) {
    if (podName === undefined || !spec) return undefined;
    const images = [...new Set(spec.containers.map((one) => one.image))];
    const short = (text: string) => text.split('/').at(-1) ?? text;
    const label = images.map(short).join(', ');
    const objects = [pod ? refOf(pod) : ref('Pod', namespace, podName)];
    if (isRunning(pod) || pod?.status?.phase === 'Running') return look('holds', label, 'on the node', { objects });
    const cached = new Set((facts.get('Node', '', pod?.spec.nodeName ?? '')?.status?.images ?? []).flatMap((one) => one.names ?? []));
    const waiting = waitingOf(pod);
    const event = lastEvent(facts, pod, ['Failed']);
    for (const one of images) {
      if (cached.has(one)) continue;
      const { registry, fault } = facts.knowsProvider ? pullOf(facts, one, { namespace, spec }) : {};
      if (fault) {
        const at = registry ?? ref('Registry', '', imageParts(one).host || '(none)');
        const mended =
          registry && fault.field === 'spec.reachable'
            ? [asManifest({ ...registry, spec: { ...registry.spec, reachable: true } })]
            : undefined;
        return look('broken', short(one), `can't be pulled: ${fault.message}`, {
          objects: registry ? [refOf(registry)] : objects,
          evidence: compact([
            field(at, fault.field, fault.value),
            field(pod ?? ref('Pod', namespace, podName), 'spec.containers[].image', one),
            event
          ]),
          remedy: {
            text:
              fault.field === 'spec.logins'
                ? `Put a login for ${registry?.spec.host} into a secret of the type kubernetes.io/dockerconfigjson in ${namespace}, and name it under imagePullSecrets of the pod or of its account.`
                : mended
                  ? `Let the nodes reach ${registry?.spec.host} again, or name an image from a registry they reach.`
                  : 'Name an image from a registry that the nodes reach, or make this one reachable.',
            ...(mended ? { manifests: mended } : {})
          }
        });
      }
      if (waiting && pulling.includes(waiting.reason ?? '')) {
        if (facts.knowsProvider)
          return look('settling', short(one), 'can be had again; the node tries again by itself', {
            objects,
            evidence: compact([event]),
            settling: { sinceMs: event?.atMs ?? facts.nowMs, normalMs: [0, 300_000] }
          });
        return look('broken', short(one), `can't be pulled: ${(waiting.message ?? waiting.reason ?? '').replace(/\.$/, '')}`, {
          objects,
          evidence: compact([field(pod!, 'status.containerStatuses[].state.waiting.reason', waiting.reason), event]),
          remedy: { text: "Check the reference, the registry's reach from the nodes, and the pull secret." }
        });
      }
    }
    if (images.every((one) => cached.has(one))) return look('holds', label, 'on the node', { objects });
    const begun = lastEvent(facts, pod, ['Pulling']);
    if (begun)
      return look('settling', label, 'is being pulled', {
        objects,
        evidence: [begun],
        settling: { sinceMs: begun.atMs ?? facts.nowMs, normalMs: [1_000, 60_000] }
      });
    return look('waiting', label, 'pulled when the member stands on a node', { objects });
  }
};
