import { join, pod } from '../examples';
import { referencesIn } from '../pods';
import { rule, change, hit, nearest } from '../rule';

export default rule({
  id: 'secret-missing',
  level: 'error',
  title: 'A secret that is not there',
  why: 'A pod does not start until the secrets it names stand in its namespace. Operators often expect a secret under one name exactly.',
  absent: ['Secret'],
  bad: join(
    'apiVersion: v1\nkind: Secret\nmetadata: {name: tool-access}\ndata: {password: c3Vu}\n',
    pod({ container: 'envFrom: [{secretRef: {name: tools-access}}]' })
  ),
  good: join(
    'apiVersion: v1\nkind: Secret\nmetadata: {name: tool-access}\ndata: {password: c3Vu}\n',
    pod({ container: 'envFrom: [{secretRef: {name: tool-access}}]' })
  ),
  check: (context) =>
    referencesIn(context, 'Secret').flatMap(({ on, path, name, namespace }) => {
      if (context.find('Secret', namespace, name) || context.all('Secret').some((one) => one.metadata.name === name)) return [];
      if (context.written('Certificate').some((one) => one.object.spec.secret === name)) return [];
      const there = context.all('Secret', namespace).map((one) => one.metadata.name);
      if (!context.target && !there.length) return [];
      const near = nearest(name, there);
      return [
        hit(
          on,
          path,
          `There is no secret "${name}" in ${namespace}.`,
          near ? `Write ${near}.` : 'Generate one in the draft.',
          near ? change(`Write ${near}`, on, { set: path, value: near }) : undefined
        )
      ];
    })
});
