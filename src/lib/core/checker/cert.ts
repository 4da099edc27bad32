import 'reflect-metadata';
import { decode } from 'js-base64';
import { X509Certificate } from '@peculiar/x509';
import { memberName, ordinalsOf, type Facts, type Secret, type StatefulSet } from '../model';

/** When the certificate in a TLS secret ends (ms of the calendar); undefined when there is none that can be read. */
export function expiryOf(secret: Secret): number | undefined {
  const text = secret.data?.['tls.crt'] ? decode(secret.data['tls.crt']) : secret.stringData?.['tls.crt'];
  if (!text?.includes('BEGIN CERTIFICATE')) return undefined;
  try {
    return new X509Certificate(text).notAfter.getTime();
  } catch {
    return undefined;
  }
}

/**
 * Whether a name in a certificate covers a name that is called. A wildcard covers exactly one label, the leftmost. Source: RFC 9525, 6.3.
 * @example nameCovers('*.db.ns.svc', 'db-0.db.ns.svc') // true; nameCovers('*.db.ns.svc', 'db.ns.svc') // false
 */
export function nameCovers(pattern: string, name: string): boolean {
  const [p, n] = [pattern.toLowerCase(), name.toLowerCase()];
  if (!p.startsWith('*.')) return p === n;
  const dot = n.indexOf('.');
  return dot > 0 && n.slice(dot) === p.slice(1);
}

/** Every name under which a set's members are called from anywhere in the cluster. */
export function wantedNames(set: StatefulSet, target: Facts | undefined): string[] {
  const domain = target?.list('Ground')[0]?.spec.clusterDomain ?? 'cluster.local';
  return ordinalsOf(set).map(
    (one) => `${memberName(set, one)}.${set.spec.serviceName}.${set.metadata.namespace ?? 'default'}.svc.${domain}`
  );
}
