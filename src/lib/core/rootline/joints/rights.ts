import { refOf, type Identity, type Right, type Volume } from '../../model';
import { asManifest } from '../../manifest';
import { bytesOf } from '../../shared';
import {
  clusterRightsLacking,
  driverCard,
  driverSubject,
  installFor,
  installObjects,
  isEncrypted,
  providerAudience,
  standingOf,
  subjectOf
} from '../../standin';
import { driverOfPlace, field, isAttached, isBound, look } from '../evidence';
import type { JointRule, Position, ClaimPlace } from '../types';

/** A volume whose asset is to go with it, now that its claim has gone. */
export const leaves = ({ spec, status }: Volume): boolean =>
  status?.phase === 'Released' && spec.persistentVolumeReclaimPolicy === 'Delete';

/** A node that nobody uses the volume on any more has to let it go first. */
function letGo({ facts, pod }: Position, { claim }: ClaimPlace): Right[] {
  const volume = claim?.spec.volumeName;
  if (!volume || !pod?.spec.nodeName) return [];
  const users = new Set(facts.podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name).map((one) => one.spec.nodeName));
  const idle = facts.list('VolumeAttachment').some(({ spec }) => spec.source.persistentVolumeName === volume && !users.has(spec.nodeName));
  return idle ? ['detach'] : [];
}

/** Rights that the present state still calls for. */
function neededNow(at: Position, place: ClaimPlace): Right[] {
  if (place.snapshot) return place.snapshot.status?.readyToUse ? [] : ['snapshot'];
  if (place.volume) return leaves(place.volume) ? ['delete'] : [];
  const made = isBound(place);
  const attached = at.pod === undefined ? made : isAttached(at, place);
  const card = driverCard(driverOfPlace(at.facts, place) ?? '');
  const key = isEncrypted(place.class) ? (['key-use'] as const) : [];
  const attach = card?.attach === false ? [] : (['attach'] as const);
  const { claim } = place;
  const grows =
    claim !== undefined && made && bytesOf(claim.spec.resources.requests.storage) > bytesOf(claim.status?.capacity?.storage ?? '0');
  return [
    ...(made ? [] : (['create', ...key] as const)),
    ...(attached ? [] : [...letGo(at, place), ...attach]),
    ...(grows && card?.grows === 'online' ? (['grow'] as const) : [])
  ];
}

/** Every right that a driver has a use for; with an encrypted class the key's too. */
const allOf = (driver: string, place: ClaimPlace): readonly Right[] => [
  ...(driverCard(driver)?.rights ?? (['create', 'attach', 'detach', 'delete', 'grow'] as const)),
  ...(isEncrypted(place.class) ? (['key-use'] as const) : [])
];

/** Does the provider trust the driver's service account, and may it do what is asked? */
export const rights = {
  id: 'rights' as const,
  shared: true,
  title: 'Rights',
  why: 'The driver calls the provider under its own identity. Issuer, subject and audience must match what the provider trusts, and each call needs its right.',
  perClaim: true,
  look(at, place) {
    const { facts } = at;
    const driver = driverOfPlace(facts, place);
    if (!driver) return look('unseen', '–', 'whose rights count depends on the class');
    const needed = neededNow(at, place);
    if (!facts.knowsProvider) {
      const subject = driverSubject(facts, driver);
      return look(
        'unseen',
        driver,
        `the objects at hand say nothing of the provider; look at the trust there for ${subject ?? "the driver's service account"}: issuer, subject and audience, and the rights to ${(needed.length ? needed : allOf(driver, place)).join(', ')}`,
        {
          evidence: subject
            ? [
                field(
                  { kind: 'ServiceAccount', namespace: subject.split(':')[2] ?? '', name: subject.split(':')[3] ?? '' },
                  'metadata.name',
                  subject
                )
              ]
            : []
        }
      );
    }
    const all = allOf(driver, place);
    const cluster = clusterRightsLacking(facts, driver, needed);
    if (cluster) {
      const [{ verb, group, resource }] = cluster.wants as [(typeof cluster.wants)[number]];
      const install = installFor(facts, driver);
      const manifests = (install ? installObjects(install) : []).filter(
        (one) => one.kind === 'ClusterRole' || one.kind === 'ClusterRoleBinding'
      );
      return look('broken', driver, `${cluster.subject} may not ${verb} ${resource} in the cluster`, {
        objects: manifests.map(refOf),
        evidence: cluster.wants.map((want) => ({
          object: { kind: 'ClusterRole' as const, namespace: '', name: '(any)' },
          field: 'rules',
          value: `none that is bound to it lets ${want.verb} ${want.resource} of "${want.group}"`
        })),
        remedy: {
          text: `Give the driver's account the role that it comes with: rules for ${resource}${group ? ` of ${group}` : ''} with ${verb}, and a binding.`,
          ...(manifests.length ? { manifests } : {})
        }
      });
    }
    const { identity, missing, mismatch, free } = standingOf(facts, driver, needed);
    if (free) return look('holds', driver, 'needs no rights: its backend is the cluster itself');
    if (!identity) {
      if (!needed.length) return look('holds', driver, 'no identity is known, and none is needed now');
      const install = installFor(facts, driver);
      const subject =
        driverSubject(facts, driver) ??
        (install && subjectOf(install.namespace, install.account)) ??
        'system:serviceaccount:<namespace>:<account>';
      return look('broken', driver, `the provider knows no identity for ${driver}`, {
        evidence: [{ object: { kind: 'Identity', namespace: '', name: '(any)' }, field: 'spec.driver', value: `none names ${driver}` }],
        remedy: {
          text: `Have the provider trust ${subject} and give it the rights ${all.join(', ')}.`,
          manifests: [newIdentity(at, driver, subject, all)]
        }
      });
    }
    const objects = [refOf(identity)];
    const label = identity.metadata.name;
    if (mismatch && needed.length) {
      const mended = { ...identity, spec: { ...identity.spec, [mismatch.field.slice(5)]: mismatch.wanted } };
      return look('broken', label, `${mismatch.field.slice(5)} is ${mismatch.value}, the driver shows ${mismatch.wanted}`, {
        objects,
        evidence: [field(identity, mismatch.field, mismatch.value), { ...field(identity, mismatch.field, `wanted: ${mismatch.wanted}`) }],
        remedy: { text: `Have the provider trust ${mismatch.wanted}.`, manifests: [asManifest(mended)] }
      });
    }
    if (missing.length) {
      const mended = { ...identity, spec: { ...identity.spec, rights: [...identity.spec.rights, ...missing] } };
      return look('broken', label, `the right to ${missing.join(' and to ')} is missing`, {
        objects,
        evidence: [field(identity, 'spec.rights', identity.spec.rights.join(', ') || 'none')],
        remedy: { text: `Give the identity ${label} the right to ${missing.join(' and to ')}.`, manifests: [asManifest(mended)] }
      });
    }
    const lacking = all.filter((one) => !identity.spec.rights.includes(one));
    return look(
      'holds',
      label,
      `identity trusted; ${identity.spec.rights.join(', ')}${lacking.length ? `; lacks ${lacking.join(', ')}, which nothing asks for now` : ''}`,
      { objects }
    );
  }
} satisfies JointRule;

function newIdentity({ facts }: Position, driver: string, subject: string, all: readonly Right[]): Identity {
  return {
    apiVersion: 'standin.example/v1',
    kind: 'Identity',
    metadata: { name: driverCard(driver)?.short === 'block' ? 'volume-keeper' : `${driver.split('.')[0]}-keeper` },
    spec: { driver, issuer: facts.list('Ground')[0]?.spec.issuer ?? '', subject, audience: providerAudience, rights: [...all] }
  };
}
