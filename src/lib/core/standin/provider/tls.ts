import { decode } from 'js-base64';
import { epochMs } from '../../shared';
import { clusterDomain, type Facts, type Pod } from '../../model';
import { domainOver } from './links';
import { certificateInSecret, nameCovers } from './certificates';

/** The name under which others call a member. */
export function calledName(facts: Facts, pod: Pod): string {
  const domain = clusterDomain(facts);
  return `${pod.metadata.name}.${pod.spec.subdomain ?? ''}.${pod.metadata.namespace ?? ''}.svc.${domain}`;
}

/** The name under which members in other clusters call it; its ordinary one where it is joined to none. */
export function calledOver(facts: Facts, pod: Pod): string {
  const here = facts.elsewhere?.here;
  if (here === undefined) return calledName(facts, pod);
  return `${pod.metadata.name}.${pod.spec.subdomain ?? ''}.${pod.metadata.namespace ?? ''}.svc.${domainOver(here)}`;
}

/** The authority that a member's certificate comes from, as its secret says; undefined where it says nothing. */
const authorityOf = (facts: Facts, pod: Pod): string | undefined =>
  facts.get('Secret', pod.metadata.namespace ?? '', tlsSecretOf(facts, pod) ?? '')?.data?.['ca.crt'];

/**
 * Why a member doesn't trust another one's certificate over a link: its authority is neither the member's own nor in the chain that the
 * member's cluster keeps for the workload (config map `<workload>-authorities`). Undefined where it does, or nothing is said of authorities.
 */
export function trustFault(mine: Facts, one: Pod, theirs: Facts, two: Pod, workload: string): string | undefined {
  const [own, shown] = [authorityOf(mine, one), authorityOf(theirs, two)];
  if (shown === undefined || own === shown) return undefined;
  const chain = mine.get('ConfigMap', one.metadata.namespace ?? '', `${workload}-authorities`)?.data?.['authorities.pem'];
  if (chain?.includes(decode(shown).trim())) return undefined;
  return `${one.metadata.name} doesn't know the authority that the certificate of ${two.metadata.name} comes from`;
}

/** The TLS secret that a pod mounts, by name; undefined where it mounts none. */
export function tlsSecretOf(facts: Facts, pod: Pod): string | undefined {
  const mounted = (pod.spec.volumes ?? []).flatMap((one) => one.secret?.secretName ?? []);
  return mounted.find((name) => {
    const secret = facts.get('Secret', pod.metadata.namespace ?? '', name);
    return secret?.type === 'kubernetes.io/tls' || secret?.data?.['tls.crt'] !== undefined;
  });
}

/** Whether a program shows a certificate, by its settings: as its configuration file or its environment says. */
export const talksTls = (options: Readonly<Record<string, string>> | undefined): boolean => (options?.tls ?? options?.TLS) === 'on';

/** Why others don't take a member's certificate when they call it by a name; undefined where they do. */
export function tlsFault(facts: Facts, pod: Pod, called = calledName(facts, pod)): string | undefined {
  const name = tlsSecretOf(facts, pod);
  if (name === undefined) return `${pod.metadata.name} has no certificate to show`;
  const text = facts.get('Secret', pod.metadata.namespace ?? '', name)?.data?.['tls.crt'];
  const found = text === undefined ? undefined : certificateInSecret(text);
  if (!found) return `what lies in the secret ${name} is no certificate`;
  if (!found.names.some((one) => nameCovers(one, called))) return `the certificate in ${name} doesn't carry the name ${called}`;
  const now = epochMs + facts.nowMs;
  if (now > found.untilMs) return `the certificate in ${name} has expired`;
  return now < found.fromMs ? `the certificate in ${name} doesn't hold yet` : undefined;
}

/** When a pod's certificate next begins or ceases to hold (virtual ms), if nothing changes; Infinity: never. */
export function nextTlsMs(facts: Facts, pod: Pod): number {
  const text = facts.get('Secret', pod.metadata.namespace ?? '', tlsSecretOf(facts, pod) ?? '')?.data?.['tls.crt'];
  const found = text === undefined ? undefined : certificateInSecret(text);
  // It holds at its very end, and no longer a moment later.
  const edges = found ? [found.fromMs - epochMs, found.untilMs - epochMs + 1] : [];
  return Math.min(...edges.filter((one) => one > facts.nowMs), Infinity);
}
