import { encode } from 'js-base64';
import { epochMs, stampOf } from '../../../shared';
import { conditionOf, type Certificate, type Issuer, type Secret } from '../../../model';
import { certificateFacts, issue, makeAuthority, readKeyPair, type KeyPair } from '../../provider/certificates';
import { idOf, itself, splitKey, withCondition, type ClusterAccess, type Loop } from '../loop';

const dayMs = 86_400_000;
/** Days that a certificate holds where nothing is said, and an authority (common practice, no source). */
const ordinaryDays = 90;
const authorityDays = 3_650;
/** Renewed when so much of its time has gone (common practice, no source). */
const renewAt = 2 / 3;

/** Says on a wish for a certificate (invented) that it is issued anew though what is there holds; copied to the secret, so that it is once. */
export const issuedAnewMark = 'standin.example/renewed';
const markOf = ({ metadata }: Certificate | Secret): string | undefined => metadata.annotations?.[issuedAnewMark];

function putSecret(
  world: ClusterAccess,
  namespace: string,
  name: string,
  pair: KeyPair,
  authority: string | undefined,
  labels: Secret['metadata']['labels'],
  mark?: string
): void {
  const data = {
    'tls.crt': encode(pair.certificate),
    'tls.key': encode(pair.key),
    ...(authority === undefined ? {} : { 'ca.crt': encode(authority) })
  };
  const old = world.store.get('Secret', namespace, name);
  world.put({
    ...old,
    apiVersion: 'v1',
    kind: 'Secret',
    metadata: {
      ...old?.metadata,
      name,
      namespace,
      ...(labels ? { labels } : {}),
      annotations: { 'standin.example/made-by': 'issuing', ...(mark === undefined ? {} : { [issuedAnewMark]: mark }) }
    },
    type: 'kubernetes.io/tls',
    data
  });
}

/** The issuer's authority; made when it is to be made and isn't there. Gives why there is none otherwise. */
function authorityOf(world: ClusterAccess, issuer: Issuer): KeyPair | string {
  const [namespace, name] = [issuer.metadata.namespace ?? '', issuer.spec.authority];
  const secret = world.store.get('Secret', namespace, name);
  if (!secret && issuer.spec.make) {
    const from = epochMs + world.nowMs;
    const pair = makeAuthority(`${world.seed}|authority|${idOf(issuer)}`, `authority of ${namespace}`, from, from + authorityDays * dayMs);
    putSecret(world, namespace, name, pair, undefined, undefined);
    return pair;
  }
  if (!secret) return `the secret ${namespace}/${name} with the authority's key pair doesn't exist`;
  return readKeyPair(secret.data) ?? `the secret ${namespace}/${name} holds no key pair (tls.crt and tls.key)`;
}

function report(
  world: ClusterAccess,
  one: Certificate,
  status: 'True' | 'False',
  reason: string,
  message: string,
  notAfter?: string
): void {
  const old = conditionOf(one.status?.conditions, 'Ready');
  if (old?.status === status && old.message === message && one.status?.notAfter === notAfter) return;
  world.put({
    ...one,
    status: {
      ...one.status,
      ...(notAfter === undefined ? {} : { notAfter }),
      conditions: withCondition(one.status?.conditions, { type: 'Ready', status, reason, message }, stampOf(world.nowMs))
    }
  });
  if (status === 'False') world.event(one, reason, message, 'Warning');
}

/** Whether the secret holds what the certificate asks for, for long enough. */
function stillGood(world: ClusterAccess, one: Certificate, authority: KeyPair): { untilMs: number } | undefined {
  const secret = world.store.get('Secret', one.metadata.namespace ?? '', one.spec.secret);
  const pair = readKeyPair(secret?.data);
  const found = pair && certificateFacts(pair.certificate);
  if (!found || secret?.data?.['ca.crt'] !== encode(authority.certificate) || markOf(secret) !== markOf(one)) return undefined;
  const same = found.names.length === one.spec.names.length && one.spec.names.every((name, i) => found.names[i] === name);
  const now = epochMs + world.nowMs;
  return same && now < found.fromMs + (found.untilMs - found.fromMs) * renewAt ? { untilMs: found.untilMs } : undefined;
}

/** Issues certificates from an authority's key pair, and renews them in time. An issuer serves its own namespace only. */
export const issuing: Loop = {
  id: 'issuing',
  paceMs: 500,
  watches: {
    Certificate: (now, before) =>
      now?.spec === before?.spec && (!now || !before || markOf(now) === markOf(before)) ? [] : itself(now, before),
    Issuer: (now, before, store) =>
      store
        .list('Certificate')
        .filter((one) => one.spec.issuer.name === (now ?? before)!.metadata.name)
        .map(idOf),
    Secret: (now, before, store) => {
      const { name, namespace } = (now ?? before)!.metadata;
      return store
        .list('Certificate', namespace)
        .filter((one) => one.spec.secret === name || store.get('Issuer', namespace ?? '', one.spec.issuer.name)?.spec.authority === name)
        .map(idOf);
    }
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const one = world.store.get('Certificate', namespace, name);
    if (!one) return;
    const { issuer: ref, names, days = ordinaryDays } = one.spec;
    if (ref.namespace !== undefined && ref.namespace !== namespace)
      return report(
        world,
        one,
        'False',
        'IssuerElsewhere',
        `The issuer ${ref.namespace}/${ref.name} serves its own namespace only, not ${namespace}.`
      );
    const issuer = world.store.get('Issuer', namespace, ref.name);
    if (!issuer) return report(world, one, 'False', 'IssuerMissing', `There is no issuer ${namespace}/${ref.name}.`);
    const authority = authorityOf(world, issuer);
    if (typeof authority === 'string')
      return report(world, one, 'False', 'AuthorityMissing', `${authority[0]!.toUpperCase()}${authority.slice(1)}.`);
    const good = stillGood(world, one, authority);
    const from = epochMs + world.nowMs;
    const untilMs = good?.untilMs ?? from + days * dayMs;
    if (!good) {
      const pair = issue(authority, `${world.seed}|certificate|${key}|${world.nowMs}`, names, from, untilMs);
      putSecret(world, namespace, one.spec.secret, pair, authority.certificate, one.spec.labels, markOf(one));
      world.event(one, 'Issued', `Issued for ${names.length} names, put into the secret ${one.spec.secret}.`);
    }
    report(
      world,
      world.store.get('Certificate', namespace, name)!,
      'True',
      'Issued',
      `holds for ${names.length} names`,
      stampOf(untilMs - epochMs)
    );
    world.after(Math.max(1_000, (untilMs - from) * renewAt), key, true);
  }
};
