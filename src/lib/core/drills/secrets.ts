import { encode } from 'js-base64';
import { asManifest } from '../manifest';
import type { ApiObject, Facts, Pod, Secret } from '../model';
import { podsIn } from '../proofs';
import { epochMs } from '../shared';
import { renewedMark, rolledSets, renewed } from './versions';
import { certificateInSecret, issue, makeAuthority, passwordRef, storeKeyOption, talksTls, tlsSecretOf, type Action } from '../standin';
import { altered, taken } from './striking';
import type { DrillScene, Stage, Target } from './types';

/** A secret as it stands, but for some of its data. */
const withData = (secret: Secret, data: Record<string, string>): Action =>
  sent(asManifest({ ...secret, data: { ...secret.data, ...data } } as ApiObject));
const sent = (object: ApiObject): Action => ({ type: 'send', objects: [object] });

/** The certificate that a workload's members show is one that has run out; whoever renews it can't, until it is over. */
export function certificateOut({ facts, workload }: DrillScene): Target | string {
  const { namespace } = workload;
  const showing = podsIn(facts, workload).filter((pod) => talksTls(facts.get('Process', namespace, pod.metadata.name)?.spec.options));
  const [pod] = showing;
  const name = pod && tlsSecretOf(facts, pod);
  const secret = name === undefined ? undefined : facts.get('Secret', namespace, name);
  const found = secret?.data?.['tls.crt'] === undefined ? undefined : certificateInSecret(secret.data['tls.crt']);
  if (!secret || !found) return 'its members show no certificates';
  const now = epochMs + facts.nowMs;
  const fromMs = Math.min(found.fromMs, now - 2_000);
  const spent = issue(makeAuthority('drill', 'drill', fromMs, now), 'drill', found.names, fromMs, now - 1_000);
  const wishes = facts.list('Certificate', namespace).filter((one) => one.spec.secret === name);
  const issuers = facts.list('Issuer', namespace).filter((one) => wishes.some((wish) => wish.spec.issuer.name === one.metadata.name));
  const members = showing.filter((one) => tlsSecretOf(facts, one) === name).map((one) => one.metadata.name);
  return {
    label: `secret ${name}`,
    members,
    lasting: true,
    stops: `${members.length === 1 ? 'its member shows' : `all of ${members.length} members show`} the certificate in ${name}, and nobody takes one that has run out`,
    begin: [
      ...issuers.map((one) => altered(one, { authority: `${one.spec.authority}-out-of-reach`, make: false })),
      withData(secret, { 'tls.crt': encode(spent.certificate), 'tls.key': encode(spent.key) })
    ],
    end: [...issuers.map((one) => altered(one, {})), ...(issuers.length ? [] : [withData(secret, {})])]
  };
}

/** So long is waited for a certificate that was asked for anew (ms). Made up. */
const issuedWithinMs = 120_000;

/** What members show is issued anew; then they are started anew in turn, where nobody keeps their set from that. */
export function certificateRenewed(scene: DrillScene): Target | string {
  const { facts, workload } = scene;
  const { namespace } = workload;
  const [pod] = podsIn(facts, workload).filter((one) => talksTls(facts.get('Process', namespace, one.metadata.name)?.spec.options));
  const name = pod && tlsSecretOf(facts, pod);
  if (name === undefined) return 'its members show no certificates';
  const wish = facts.list('Certificate', namespace).find((one) => one.spec.secret === name);
  if (!wish) return `nobody renews what is in the secret ${name}: no certificate is asked for into it`;
  const shown = (now: Facts) => now.get('Secret', namespace, name)?.data?.['tls.crt'];
  const before = shown(facts);
  const annotations = { ...wish.metadata.annotations, [renewedMark]: `${facts.nowMs}` };
  const begin = [sent(asManifest({ ...wish, metadata: { ...wish.metadata, annotations } } as ApiObject))];
  const issued: Stage = {
    label: `secret ${name}`,
    begin,
    left: (now) => (shown(now) === before ? 'the one before is still there' : undefined),
    mostMs: issuedWithinMs,
    work: [],
    workMs: 0,
    end: []
  };
  const sets = rolledSets(scene);
  return {
    label: `secret ${name}`,
    members: typeof sets === 'string' ? [] : [pod!.metadata.name],
    lasting: false,
    begin,
    end: [],
    stages: [issued, ...(typeof sets === 'string' ? [] : sets.map((one) => renewed(facts, one, true)))],
    walk: { all: 'renewed, then its members in turn', noun: 'step', done: 'was renewed', undone: 'could not be renewed' }
  };
}

/** The password in the secret is another one, and members go on with the one that they were started with. */
export function passwordChanged({ facts, workload }: DrillScene): Target | string {
  const { namespace } = workload;
  const asking = podsIn(facts, workload).flatMap((pod) => {
    const ref = passwordRef(pod);
    return ref && facts.get('Secret', namespace, ref.name) ? [{ pod, ref }] : [];
  });
  const [first] = asking;
  if (!first) return 'its members ask for no password from a secret';
  const secret = facts.get('Secret', namespace, first.ref.name)!;
  const members = asking.filter((one) => one.ref.name === first.ref.name).map((one) => one.pod.metadata.name);
  return {
    label: `secret ${secret.metadata.name}`,
    members: [],
    lasting: true,
    stops: `${members.length === 1 ? 'its member was started' : `all of ${members.length} members were started`} with the password before, and clients show the one that the secret has now`,
    begin: [withData(secret, { [first.ref.key]: encode('another password, by mistake') })],
    end: [withData(secret, {})]
  };
}

/** The key that a store seals its content with is another one in its secret, and one member is started anew with it. */
export function keyChanged({ facts, workload }: DrillScene, pod: Pod | undefined): Target | string {
  if (!pod) return 'no member stands on a node';
  const ref = pod.spec.containers.flatMap((one) => one.env ?? []).find((one) => one.name === storeKeyOption && one.valueFrom?.secretKeyRef)
    ?.valueFrom?.secretKeyRef;
  const secret = facts.get('Secret', workload.namespace, ref?.name ?? '');
  if (!ref || !secret) return 'its members seal nothing with a key from a secret';
  return {
    label: `secret ${secret.metadata.name}, with ${pod.metadata.name} started anew`,
    members: [pod.metadata.name],
    lasting: false,
    sealed: true,
    begin: [withData(secret, { [ref.key]: encode('another key, by mistake') }), taken(pod)],
    end: [withData(secret, {}), taken(pod)]
  };
}
