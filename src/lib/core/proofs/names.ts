import { memberName, ordinalsOf } from '../model';
import { resolve } from '../standin';
import { proofOf, type Check, type ProofRule } from './types';

/** Names lead to their members, and only where they should: the bare name must fail, another namespace needs the namespace added. */
export const names: ProofRule = {
  id: 'names',
  title: 'Names',
  run({ facts, set }) {
    const namespace = set.metadata.namespace ?? '';
    const other = facts.list('Namespace').find((one) => one.metadata.name !== namespace)?.metadata.name ?? 'default';
    const service = set.spec.serviceName ?? '';
    const ask = (from: string, name: string, expected: string | undefined): Check => {
      const { addresses, reason } = resolve(facts, from, name);
      return {
        asked: `${name} from ${from}`,
        expected: expected ?? 'no answer',
        got: addresses.join(', ') || `no answer: ${reason ?? ''}`,
        ok: expected === undefined ? addresses.length === 0 : addresses.length === 1 && addresses[0] === expected
      };
    };
    const checks = ordinalsOf(set).flatMap((ordinal) => {
      const name = memberName(set, ordinal);
      const address = facts.get('Pod', namespace, name)?.status?.podIP ?? '(an address)';
      return [
        ask(namespace, name, undefined),
        ask(namespace, `${name}.${service}`, address),
        ask(other, `${name}.${service}`, undefined),
        ask(other, `${name}.${service}.${namespace}`, address)
      ];
    });
    return proofOf(
      names,
      facts,
      checks,
      (ok) => `${ok} of ${checks.length} answers as expected${ok === checks.length ? '; the bare name fails, as it must' : ''}`
    );
  }
};
