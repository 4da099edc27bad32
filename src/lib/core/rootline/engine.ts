import { asManifest } from '../manifest';
import { madeMs, refOf, setOf, type ApiObject, type DaemonSet, type Facts, type Pod, type Process } from '../model';
import { calledName, enginePartOf, hasEngine, memberFault, overNormalMs, talksTls, tlsFault, tlsSecretOf } from '../standin';
import { compact, field, look } from './evidence';
import { overMember } from './over';
import type { Look, Remedy } from './types';

/** The certificate with one more name, where the stand-in issues it. */
function withName(facts: Facts, pod: Pod): Remedy {
  const namespace = pod.metadata.namespace ?? '';
  const secret = tlsSecretOf(facts, pod);
  const called = calledName(facts, pod);
  const wish = facts.list('Certificate', namespace).find((one) => one.spec.secret === secret);
  if (!wish) return { text: `Put a certificate with the name ${called} into the secret ${secret ?? 'that it mounts'}.` };
  return {
    text: `Ask for ${called} in the certificate ${wish.metadata.name} too; it is issued anew at once.`,
    manifests: [asManifest({ ...wish, spec: { ...wish.spec, names: [...wish.spec.names, called] } })]
  };
}

/** A daemon set whose agents may mount for their nodes. */
function privileged(facts: Facts, pod: Pod): Remedy {
  const owner = pod.metadata.ownerReferences?.[0];
  const set = owner?.kind === 'DaemonSet' ? facts.get('DaemonSet', pod.metadata.namespace ?? '', owner.name) : undefined;
  const text =
    'Let the agent run privileged, with its mount propagated both ways: a mount for the whole node needs that, and nothing less does.';
  if (!set) return { text };
  const containers = set.spec.template.spec.containers.map((one) => ({
    ...one,
    securityContext: { ...(one as { securityContext?: object }).securityContext, privileged: true },
    volumeMounts: one.volumeMounts?.map((mount) => ({ ...mount, mountPropagation: 'Bidirectional' }))
  }));
  const mended = {
    ...set,
    spec: { ...set.spec, template: { ...set.spec.template, spec: { ...set.spec.template.spec, containers } } }
  } as DaemonSet;
  return { text, manifests: [asManifest(mended)] };
}

/** A headless service that gives members out before they are ready, so that those who start together find each other. */
function published(facts: Facts, pod: Pod): Remedy | undefined {
  const service = facts.get('Service', pod.metadata.namespace ?? '', pod.spec.subdomain ?? '');
  if (!service || service.spec.clusterIP !== 'None' || service.spec.publishNotReadyAddresses) return undefined;
  return {
    text: `Let ${service.metadata.name} publish members that are not ready yet: they wait for each other, and none is ready before they meet.`,
    manifests: [asManifest({ ...service, spec: { ...service.spec, publishNotReadyAddresses: true } }) as ApiObject]
  };
}

/** A policy that lets the members of a workload call each other. */
function amongThemselves(facts: Facts, pod: Pod, workload: string): Remedy {
  const set = setOf(facts, pod);
  const matchLabels = set?.spec.selector.matchLabels ?? set?.spec.template.metadata?.labels;
  const text = 'Let the members of the workload call each other: a policy that chooses them, and lets them in and out among themselves.';
  if (!matchLabels) return { text };
  const podSelector = { matchLabels };
  return {
    text,
    manifests: [
      {
        apiVersion: 'networking.k8s.io/v1',
        kind: 'NetworkPolicy',
        metadata: { name: `${workload}-members`, namespace: pod.metadata.namespace ?? '' },
        spec: {
          podSelector,
          policyTypes: ['Ingress', 'Egress'],
          ingress: [{ from: [{ podSelector }] }],
          egress: [{ to: [{ podSelector }] }]
        }
      }
    ]
  };
}

/** Network policies between a member and the others. */
function keptApart(facts: Facts, pod: Pod, process: Process): Look | undefined {
  if (!facts.list('NetworkPolicy').length) return undefined;
  const namespace = pod.metadata.namespace ?? '';
  const others = facts
    .list('Process', namespace)
    .filter((one) => one.spec.workload === process.spec.workload && one !== process)
    .flatMap((one) => facts.get('Pod', namespace, one.metadata.name) ?? []);
  const faults = others.flatMap((other) => (memberFault(facts, pod, other) && memberFault(facts, other, pod)) ?? []);
  if (!faults.length) return undefined;
  const policies = facts.list('NetworkPolicy', namespace).filter((one) => faults.some((fault) => fault.includes(one.metadata.name)));
  return look('broken', pod.metadata.name, faults[0]!, {
    objects: [refOf(pod), ...policies.map(refOf)],
    evidence: policies.map((one) => field(one, 'spec.podSelector', JSON.stringify(one.spec?.podSelector))),
    remedy: amongThemselves(facts, pod, process.spec.workload)
  });
}

/**
 * A member with others in other clusters that isn't ready: links and certificates have joints of their own; for as long as members usually
 * take to find each other, what looks like an error is none.
 */
function overLook(facts: Facts, pod: Pod, process: Process, objects: Look['objects'], evidence: Look['evidence']): Look {
  const { name } = pod.metadata;
  const says = process.status?.says || 'runs, and is not ready yet';
  const sinceMs = madeMs(setOf(facts, pod)) ?? facts.nowMs;
  if (facts.nowMs - sinceMs <= overNormalMs[1])
    return look('settling', name, `${says} (usual on the way)`, { objects, evidence, settling: { sinceMs, normalMs: overNormalMs } });
  return look('broken', name, says, {
    objects,
    evidence,
    remedy: { text: 'See the members in the other clusters: too few of them run, or come through, for a majority.' }
  });
}

/** Why the engine in a member isn't ready, where it says so; undefined where it is, or says nothing. */
export function engineLook(facts: Facts, pod: Pod, process: Process | undefined): Look | undefined {
  const part = enginePartOf(pod);
  const { status } = process ?? {};
  if (!part || !hasEngine(part.engine) || !process || !status || status.ready) return undefined;
  const objects = [refOf(pod), refOf(process)];
  const evidence = compact([
    field(process, 'status.says', status.says),
    status.term === undefined ? undefined : field(process, 'status.term', status.term),
    field(process, 'status.position', status.position)
  ]);
  const broken = (says: string, remedy: Remedy) => look('broken', pod.metadata.name, says, { objects, evidence, remedy });
  const over = overMember({ facts, pod });
  if (over) return overLook(facts, pod, process, objects, evidence);
  if (talksTls(process.spec.options) && tlsFault(facts, pod))
    return broken(`others refuse it: ${tlsFault(facts, pod)}`, withName(facts, pod));
  const kept = keptApart(facts, pod, process);
  if (kept) return kept;
  if (status.says.startsWith('mount refused')) return broken(status.says, privileged(facts, pod));
  if (status.says.startsWith('no majority')) {
    const others = facts
      .list('Process', pod.metadata.namespace)
      .filter((one) => one.spec.workload === process.spec.workload && one !== process);
    const hidden = others.length ? published(facts, pod) : undefined;
    return broken(
      `${status.says}${hidden ? `; ${others.map((one) => one.metadata.name).join(', ')} runs, and its name isn't given out` : ''}`,
      hidden ?? { text: 'Bring the other members back: see why each of them does not run. Too few members never decide alone.' }
    );
  }
  return undefined;
}
