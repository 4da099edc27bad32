import { bytesOf } from '../shared';
import { memberClaim, memberName, ordinalsOf } from '../model';
import { proofOf, type Check, type ProofRule } from './types';

/** Every claim is bound as asked: size, driver, handle, and attached where its member stands. */
export const claims: ProofRule = {
  id: 'claims',
  title: 'Claims',
  run({ facts, set }) {
    const namespace = set.metadata.namespace ?? '';
    const checks = ordinalsOf(set).flatMap((ordinal) =>
      (set.spec.volumeClaimTemplates ?? []).map((template): Check => {
        const name = memberClaim(template.metadata.name, set, ordinal);
        const claim = facts.get('PersistentVolumeClaim', namespace, name);
        const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
        const asked = claim?.spec.resources.requests.storage ?? template.spec.resources.requests.storage;
        const csi = volume?.spec.csi;
        const node = facts.get('Pod', namespace, memberName(set, ordinal))?.spec.nodeName;
        const asset = facts.get('Asset', '', csi?.volumeHandle ?? '');
        // Directories and shared files hang on no node: there is nothing to attach.
        const attaches = facts.get('CSIDriver', '', csi?.driver ?? '')?.spec.attachRequired !== false;
        const reached = !facts.knowsProvider || (node !== undefined && (!attaches || (asset?.status?.attachedTo ?? []).includes(node)));
        const got = claim?.status?.capacity?.storage;
        const ok = claim?.status?.phase === 'Bound' && got !== undefined && bytesOf(got) >= bytesOf(asked) && csi !== undefined && reached;
        return {
          asked: name,
          expected: `Bound, ${asked} or more`,
          got: claim
            ? `${claim.status?.phase ?? 'Pending'}${got === undefined ? '' : `, ${got}`}${csi ? `, ${csi.driver}, handle ${csi.volumeHandle}` : ''}${node ? `, on ${node}` : ''}`
            : 'no such claim',
          ok
        };
      })
    );
    return proofOf(claims, facts, checks, (ok) =>
      checks.length ? `${ok} of ${checks.length} bound as asked, driver and handle known` : 'the set asks for no claims'
    );
  }
};
