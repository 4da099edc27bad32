import { kindEntries, type ApiObject } from '../../model';
import { join, claim } from '../examples';
import { rule, hit } from '../rule';

export default rule({
  id: 'namespace-missing',
  level: 'error',
  title: 'The namespace does not exist',
  why: 'Nothing can be made in a namespace that is not there. Send it along: the order of sending puts it first.',
  against: 'north-quay',
  absent: ['Namespace'],
  bad: claim(undefined, 'name: ledger, namespace: nowhere'),
  good: join('apiVersion: v1\nkind: Namespace\nmetadata: {name: nowhere}\n', claim(undefined, 'name: ledger, namespace: nowhere')),
  check: ({ written, find, target }) => {
    if (!target) return [];
    const seen = new Set<string>();
    return written(...kindEntries.filter((one) => one.namespaced).map((one) => one.kind)).flatMap((on) => {
      const space = on.object.metadata.namespace ?? 'default';
      if (space === 'default' || seen.has(space) || find('Namespace', '', space)) return [];
      seen.add(space);
      const made: ApiObject = { apiVersion: 'v1', kind: 'Namespace', metadata: { name: space } };
      return [
        hit(on, ['metadata', 'namespace'], `There is no namespace "${space}" on the cluster or in the draft.`, 'Send the namespace too.', {
          says: `Add the namespace ${space}`,
          add: [made]
        })
      ];
    });
  }
});
