import { decode } from 'js-base64';
import { certificateFacts } from '../standin';
import { clusterDomain, memberName, ordinalsOf, type Facts, type Secret, type StatefulSet } from '../model';

export { nameCovers } from '../standin';

/** When the certificate in a TLS secret ends (ms of the calendar); undefined when there is none that can be read. */
export function expiryOf(secret: Secret): number | undefined {
  const text = secret.data?.['tls.crt'] ? decode(secret.data['tls.crt']) : secret.stringData?.['tls.crt'];
  if (!text?.includes('BEGIN CERTIFICATE')) return undefined;
  return certificateFacts(text)?.untilMs;
}

/** Every name under which a set's members are called from anywhere in the cluster. */
export function wantedNames(set: StatefulSet, target: Facts | undefined): string[] {
  const domain = clusterDomain(target);
  return ordinalsOf(set).map(
    (one) => `${memberName(set, one)}.${set.spec.serviceName}.${set.metadata.namespace ?? 'default'}.svc.${domain}`
  );
}
