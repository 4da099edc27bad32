import { clockOf } from '../../shared';
import { refOf } from '../../model';
import { driverModes } from '../../standin';
import { compact, driverOfPlace, field, isBound, lastEvent, look, madeMs, ref } from '../evidence';
import type { JointRule } from '../types';

const short: Record<string, string> = { ReadWriteOnce: 'RWO', ReadOnlyMany: 'ROX', ReadWriteMany: 'RWX', ReadWriteOncePod: 'RWOP' };

/** Is the claim there, and bound? */
export const claimJoint: JointRule = {
  id: 'claim',
  title: 'Claim',
  why: 'The claim is what a member asks for: so much, so shared, of that class. Bound means that a volume answers to it.',
  perClaim: true,
  look(at, place) {
    const { facts, pod, podName, set } = at;
    const { claim, spec } = place;
    const objects = [ref('PersistentVolumeClaim', place.namespace, place.name)];
    if (!claim) {
      const own = set && spec;
      if (own && !pod) return look('waiting', place.name, `made together with ${podName}`, { objects });
      return look('broken', place.name, "the claim doesn't exist", {
        objects,
        evidence: [{ object: ref('Pod', place.namespace, podName ?? ''), field: 'spec.volumes', value: place.name }],
        remedy: { text: `Send a claim ${place.namespace}/${place.name}.` }
      });
    }
    const asked = `${claim.spec.resources.requests.storage}, ${claim.spec.accessModes.map((mode) => short[mode] ?? mode).join(' ')}`;
    if (isBound(place))
      return look('holds', place.name, `Bound; asked ${asked}, got ${claim.status?.capacity?.storage ?? 'unknown'}`, {
        objects: [refOf(claim)]
      });
    const modes = driverModes[driverOfPlace(facts, place) ?? ''];
    const wrong = modes && claim.spec.accessModes.find((mode) => !modes.includes(mode));
    if (wrong) {
      return look('broken', place.name, `asks for ${wrong}, which ${driverOfPlace(facts, place)} doesn't hand out`, {
        objects,
        evidence: compact([
          field(claim, 'spec.accessModes', claim.spec.accessModes.join(', ')),
          lastEvent(facts, claim, ['ProvisioningFailed'])
        ]),
        remedy: { text: `Make the claim anew with ${modes.join(' or ')}, or with a class of shared files.` }
      });
    }
    const since = madeMs(claim);
    return look('waiting', place.name, `Pending since ${clockOf(since ?? 0)}, asked ${asked}`, {
      objects: [refOf(claim)],
      evidence: compact([
        field(claim, 'status.phase', claim.status?.phase ?? 'Pending', since),
        lastEvent(facts, claim, ['WaitForFirstConsumer', 'ExternalProvisioning', 'FailedBinding', 'ProvisioningFailed'])
      ])
    });
  }
};
