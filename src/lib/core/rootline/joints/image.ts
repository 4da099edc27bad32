import { makerOf, refOf, type ApiObject, type Facts, type Pod, type Registry, type StatefulSet } from '../../model';
import { asManifest } from '../../manifest';
import { imageParts, isKnownImage, ordinaryMib, pullOf, pullsSeen } from '../../standin';
import { compact, field, isRunning, lastEvent, look, ref, waitingOf } from '../evidence';
import type { JointRule, Remedy } from '../types';

const pulling = ['ErrImagePull', 'ImagePullBackOff', 'InvalidImageName'];

/** A registry that the nodes reach from now on. */
const opened = (host: string): Registry => ({
  apiVersion: 'standin.example/v1',
  kind: 'Registry',
  metadata: { name: host.replace(/[^a-z0-9]+/gi, '-').toLowerCase() },
  spec: { host, reachable: true }
});

/** The owner of a member with an image pulled from a registry that the nodes reach, which has to hold a copy of it. */
function mirrorOf(facts: Facts, pod: Pod | undefined, set: StatefulSet | undefined, image: string): Remedy['also'] {
  const mirror = facts.list('Registry').find((one) => one.spec.reachable);
  const named = pod && makerOf(pod);
  const owner = set ?? (named?.kind === 'Deployment' ? facts.get('Deployment', pod?.metadata.namespace ?? '', named.name) : undefined);
  if (!mirror || !owner || mirror.spec.host === imageParts(image).host) return undefined;
  const { host } = imageParts(image);
  const better = host ? image.replace(host, mirror.spec.host) : `${mirror.spec.host}/${image}`;
  const swap = <T extends { image: string }>(one: T): T => (one.image === image ? { ...one, image: better } : one);
  const { template } = owner.spec;
  const spec = {
    ...template.spec,
    containers: template.spec.containers.map(swap),
    ...(template.spec.initContainers ? { initContainers: template.spec.initContainers.map(swap) } : {})
  };
  return {
    press: `Pull from ${mirror.spec.host}`,
    manifests: [asManifest({ ...owner, spec: { ...owner.spec, template: { ...template, spec } } } as ApiObject)]
  };
}

/** Can the member's images be had? */
export const image = {
  id: 'image' as const,
  shared: true,
  title: 'Image',
  why: "Each node pulls the image itself. A registry that the nodes can't reach, or that lacks the image, stops a member before its first line runs.",
  perClaim: false,
  look({ facts, pod, set, spec, podName, namespace }) {
    if (podName === undefined || !spec) return undefined;
    const images = [...new Set([...(spec.initContainers ?? []), ...spec.containers].map((one) => one.image))];
    const short = (text: string) => text.split('/').at(-1) ?? text;
    const label = images.map(short).join(', ');
    const objects = [pod ? refOf(pod) : ref('Pod', namespace, podName)];
    const strange = facts.knowsProvider ? images.filter((one) => !isKnownImage(one)) : [];
    const supposed = strange.length
      ? `; ${strange.map(short).join(', ')} ${strange.length === 1 ? "isn't" : "aren't"} known here: played as an ordinary program of ${ordinaryMib[0]} to ${ordinaryMib[1]} MiB`
      : '';
    if (isRunning(pod) || pod?.status?.phase === 'Running') return look('holds', label, `on the node${supposed}`, { objects });
    const cached = new Set((facts.get('Node', '', pod?.spec.nodeName ?? '')?.status?.images ?? []).flatMap((one) => one.names ?? []));
    const waiting = waitingOf(pod);
    const event = lastEvent(facts, pod, ['Failed']);
    for (const one of images) {
      if (cached.has(one)) continue;
      const { registry, fault } = facts.knowsProvider ? pullOf(facts, one, { namespace, spec }) : {};
      if (fault) {
        const at = registry ?? ref('Registry', '', imageParts(one).host || '(none)');
        const { host } = imageParts(one);
        const mended = registry
          ? fault.field === 'spec.reachable'
            ? [asManifest({ ...registry, spec: { ...registry.spec, reachable: true } })]
            : undefined
          : host
            ? [opened(host)]
            : undefined;
        const also = mirrorOf(facts, pod, set, one);
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
                  ? registry
                    ? `Let the nodes reach ${host} again, or name an image from a registry they reach.`
                    : `The place is closed: let its nodes reach ${host}, or pull from a registry that they reach.`
                  : 'Name an image from a registry that the nodes reach, or make this one reachable.',
            ...(mended ? { manifests: mended, press: `Make ${host} reachable` } : {}),
            ...(also ? { also } : {})
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
    const seen = images.map((one) => pullsSeen(facts, one)).find((one) => one !== undefined);
    if (begun)
      return look('settling', label, 'is being pulled', {
        objects,
        evidence: [begun],
        settling: { sinceMs: begun.atMs ?? facts.nowMs, normalMs: seen?.normalMs ?? [1_000, 60_000] }
      });
    return look('waiting', label, 'pulled when the member stands on a node', { objects });
  }
} satisfies JointRule;
