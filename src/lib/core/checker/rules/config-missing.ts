import type { ApiObject } from '../../model';
import { join, pod } from '../examples';
import { referencesIn } from '../pods';
import { rule, change, hit, nearest } from '../rule';

export default rule({
  id: 'config-missing',
  level: 'error',
  title: 'A config map that is not there',
  why: 'A pod does not start until the config maps it names stand in its namespace.',
  absent: ['ConfigMap'],
  bad: join(
    'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: tool-settings}\ndata: {a: "1"}\n',
    pod({ container: 'envFrom: [{configMapRef: {name: tool-setting}}]' })
  ),
  good: join(
    'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: tool-settings}\ndata: {a: "1"}\n',
    pod({ container: 'envFrom: [{configMapRef: {name: tool-settings}}]' })
  ),
  check: (context) =>
    referencesIn(context, 'ConfigMap').flatMap(({ on, path, name, namespace }) => {
      if (context.find('ConfigMap', namespace, name) || context.all('ConfigMap').some((one) => one.metadata.name === name)) return [];
      const there = context.all('ConfigMap', namespace).map((one) => one.metadata.name);
      if (!context.target && !there.length) return [];
      const near = nearest(name, there);
      const made: ApiObject = { apiVersion: 'v1', kind: 'ConfigMap', metadata: { name, namespace }, data: {} };
      return [
        hit(
          on,
          path,
          `There is no config map "${name}" in ${namespace}.`,
          near ? `Write ${near}.` : 'Send it too.',
          near ? change(`Write ${near}`, on, { set: path, value: near }) : { says: 'Add an empty one', add: [made] }
        )
      ];
    })
});
