import { plural } from '../shared';
import { claimsOf, memberName, ordinalsOf } from '../model';
import { assetOf, checksumOf } from '../standin';
import { proofOf, type Check, type ProofRule } from './types';

/** What lies in each member's volume agrees with the checksum that was taken when it was written. */
export const data: ProofRule = {
  id: 'data',
  title: 'Data',
  run({ facts, set }) {
    const namespace = set.metadata.namespace ?? '';
    const checks = ordinalsOf(set).map((ordinal): Check => {
      const name = memberName(set, ordinal);
      const pod = facts.get('Pod', namespace, name);
      const store = pod && assetOf(facts, pod)?.status?.store;
      const sum = store && checksumOf(store.rows);
      return {
        asked: `${name}: read everything in its volume`,
        expected: store ? `SHA-256 ${store.checksum.slice(0, 16)}…` : 'rows with a checksum',
        got: store ? `${plural(store.rows.length, 'row')}, SHA-256 ${sum!.slice(0, 16)}…` : 'nothing stored',
        ok: store !== undefined && sum === store.checksum,
        ...(pod && store && sum !== store.checksum ? { claim: `${namespace}/${claimsOf(pod.spec, pod.metadata.name)[0]}` } : {})
      };
    });
    const bad = checks.filter((one) => one.claim).map((one) => one.asked.slice(0, one.asked.indexOf(':')));
    return proofOf(
      data,
      facts,
      checks,
      (ok) => `${ok} of ${checks.length} stores read back as written${bad.length ? `; damaged: ${bad.join(', ')}` : ''}`
    );
  }
};
