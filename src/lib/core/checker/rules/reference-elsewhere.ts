import { join, pod } from '../examples';
import { referencesIn } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'reference-elsewhere',
  level: 'error',
  title: 'A config map or secret in another namespace',
  why: 'Pods reach config maps and secrets of their own namespace only. One of the right name elsewhere does not help.',
  bad: join(
    'apiVersion: v1\nkind: Namespace\nmetadata: {name: tickets}\n',
    'apiVersion: v1\nkind: Secret\nmetadata: {name: tool-access, namespace: tickets}\ndata: {password: c3Vu}\n',
    pod({ container: 'envFrom: [{secretRef: {name: tool-access}}]' })
  ),
  good: join(
    'apiVersion: v1\nkind: Secret\nmetadata: {name: tool-access}\ndata: {password: c3Vu}\n',
    pod({ container: 'envFrom: [{secretRef: {name: tool-access}}]' })
  ),
  check: (context) =>
    (['ConfigMap', 'Secret'] as const).flatMap((kind) =>
      referencesIn(context, kind).flatMap(({ on, path, name, namespace }) => {
        if (context.find(kind, namespace, name)) return [];
        const other = context.all(kind).find((one) => one.metadata.name === name);
        if (!other) return [];
        const mine = context.written(kind).find((one) => one.object === other);
        return [
          hit(
            on,
            path,
            `"${name}" stands in ${other.metadata.namespace}, the pod in ${namespace}.`,
            `Send it into ${namespace} too.`,
            mine ? change(`Move it to ${namespace}`, mine, { set: ['metadata', 'namespace'], value: namespace }) : undefined
          )
        ];
      })
    )
});
