import { asManifest } from '../../manifest';
import { isReady, type Certificate, type Facts, type Pod } from '../../model';
import { calledName, calledOver, madeFromMark, talksTls, tlsFault, tlsSecretOf, trustFault } from '../../standin';
import { compact, field, look } from '../evidence';
import { membersThere, overMember } from '../over';
import type { JointRule, Remedy } from '../types';

/** The certificate that a member's secret was issued for, and the cluster that it is asked for in. */
function wishOf(facts: Facts, pod: Pod): { wish: Certificate; cluster: string | undefined } | undefined {
  const namespace = pod.metadata.namespace ?? '';
  const name = tlsSecretOf(facts, pod);
  const own = facts.list('Certificate', namespace).find((one) => one.spec.secret === name);
  if (own) return { wish: own, cluster: undefined };
  const [cluster] = facts.get('Secret', namespace, name ?? '')?.metadata.annotations?.[madeFromMark]?.split('/') ?? [];
  const there = cluster === undefined ? undefined : facts.elsewhere?.facts(cluster);
  const wish = there?.list('Certificate', namespace).find((one) => one.spec.secret === name);
  return wish && { wish, cluster };
}

function withNames(facts: Facts, pod: Pod, missing: readonly string[]): Remedy {
  const found = wishOf(facts, pod);
  const names = missing.join(' and ');
  if (!found) return { text: `Put a certificate with ${names} into the secret ${tlsSecretOf(facts, pod) ?? 'that it mounts'}.` };
  const { wish, cluster } = found;
  return {
    text: `Ask for ${names} in the certificate ${wish.metadata.name}${cluster === undefined ? '' : ` of ${cluster}`}, too; it is issued anew, and handed out to every cluster.`,
    ...(cluster === undefined || cluster === facts.elsewhere?.here ? {} : { in: cluster }),
    manifests: [asManifest({ ...wish, spec: { ...wish.spec, names: [...wish.spec.names, ...missing] } })]
  };
}

/** Does the member's certificate hold in all clusters? */
export const authority = {
  id: 'authority' as const,
  shared: true,
  title: 'Certificate',
  why: 'A member in another cluster is called by another name, and its certificate has to carry that one too. Its authority has to be known over there.',
  perClaim: false,
  look(at) {
    const over = overMember(at);
    const { facts, pod, podName } = at;
    if (!over || !pod || podName === undefined) return undefined;
    const namespace = pod.metadata.namespace ?? '';
    const process = facts.get('Process', namespace, podName);
    if (!process || !talksTls(process.spec.options)) return undefined;
    const secret = tlsSecretOf(facts, pod) ?? 'none';
    const called = [...new Set([calledName(facts, pod), calledOver(facts, pod)])];
    const faults = called.flatMap((name) => {
      const fault = tlsFault(facts, pod, name);
      return fault === undefined ? [] : [{ name, fault }];
    });
    const evidence = compact([
      field({ kind: 'Secret', namespace, name: secret }, 'data[tls.crt]', faults[0]?.fault ?? 'carries its names')
    ]);
    const objects = [{ kind: 'Secret' as const, namespace, name: secret }];
    const [first] = faults;
    if (first) {
      const lacks = /doesn't carry the name/.test(first.fault);
      const remedy = lacks
        ? withNames(
            facts,
            pod,
            faults.map((one) => one.name)
          )
        : { text: 'Have it issued anew.' };
      return look('broken', secret, `others refuse it: ${first.fault}`, { objects, evidence, remedy });
    }
    const stranger = over.clusters
      .filter((cluster) => cluster !== over.here)
      .flatMap((cluster) => {
        const there = facts.elsewhere?.facts(cluster);
        return there ? membersThere(there, namespace, over.set.metadata.name).map((one) => ({ there, ...one })) : [];
      })
      .map(({ there, pod: other }) => trustFault(there, other, facts, pod, over.set.metadata.name))
      .find((one) => one !== undefined);
    if (stranger !== undefined && !isReady(pod))
      return look('broken', secret, stranger, {
        objects,
        evidence,
        remedy: { text: `Put the authority of every cluster into the config map ${over.set.metadata.name}-authorities of each.` }
      });
    return look('holds', secret, stranger ?? 'carries its name here and over the links', { objects });
  }
} satisfies JointRule;
