import type { ApiObject } from '../../model';
import { join, pod } from '../examples';
import { podPlaces } from '../pods';
import { rule, change, hit, nearest } from '../rule';

export default rule({
  id: 'account-missing',
  level: 'error',
  title: 'The service account does not exist',
  why: 'Pods of an account that is not there are never made: the workload stands at 0, with the reason in an event on the workload only.',
  absent: ['ServiceAccount'],
  bad: join('apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: tool}\n', pod({ spec: 'serviceAccountName: tools' })),
  good: join('apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: tool}\n', pod({ spec: 'serviceAccountName: tool' })),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path, namespace }) => {
      const name = spec.serviceAccountName;
      if (!name || name === 'default' || context.find('ServiceAccount', namespace, name)) return [];
      if (!context.target && !context.written('ServiceAccount').length) return [];
      const near = nearest(
        name,
        context.all('ServiceAccount', namespace).map((one) => one.metadata.name)
      );
      const made: ApiObject = { apiVersion: 'v1', kind: 'ServiceAccount', metadata: { name, namespace } };
      return [
        hit(
          on,
          [...path, 'serviceAccountName'],
          `There is no service account "${name}" in ${namespace}.`,
          near ? `Write ${near}.` : 'Send it too.',
          near
            ? change(`Write ${near}`, on, { set: [...path, 'serviceAccountName'], value: near })
            : { says: `Add the account ${name}`, add: [made] }
        )
      ];
    })
});
