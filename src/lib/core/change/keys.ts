import { refOf, type Facts, type Secret } from '../model';
import { storeKeyOption, workloadOf, type Verdict } from '../standin';
import type { SheetLine } from './types';

/** What was sealed with a key of a secret, by members that keep what they hold so, and by plans that seal their copies. */
function sealedWith(facts: Facts, { metadata }: Secret): { readonly key: string; readonly says: string }[] {
  const { name, namespace = '' } = metadata;
  const found = new Map<string, string>();
  for (const pod of facts.list('Pod', namespace))
    for (const one of pod.spec.containers.flatMap((each) => each.env ?? [])) {
      const ref = one.name === storeKeyOption ? one.valueFrom?.secretKeyRef : undefined;
      if (ref?.name === name) found.set(`${ref.key} ${workloadOf(pod)}`, `what ${workloadOf(pod)} has sealed with it`);
    }
  for (const { metadata: plan, spec } of facts.list('BackupPlan', namespace))
    if (spec.seal?.secret === name) found.set(`${spec.seal.key} ${plan.name}`, `the copies of ${plan.name}`);
  return [...found].map(([id, says]) => ({ key: id.split(' ')[0]!, says }));
}

/** A key that is gone, with its secret, takes along what was sealed with it. */
export const keyLoss = (facts: Facts, secret: Secret): SheetLine[] =>
  sealedWith(facts, secret).map(({ key, says }) => ({
    ref: refOf(secret),
    says: `${key}: nobody opens ${says} without it, where it is not kept elsewhere`
  }));

/** The same for a key that is written over. */
export function rewrittenKeyLoss(facts: Facts, { before, after, outcome }: Verdict): SheetLine[] {
  if (outcome === 'refused' || before?.kind !== 'Secret' || after?.kind !== 'Secret') return [];
  return sealedWith(facts, before)
    .filter(({ key }) => before.data?.[key] !== undefined && before.data[key] !== after.data?.[key])
    .map(({ key, says }) => ({
      ref: refOf(after),
      says: `${key} as it was: nobody opens ${says} with the new one, where the old one is not kept elsewhere`
    }));
}
