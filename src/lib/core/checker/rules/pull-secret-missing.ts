import { join, pod } from '../examples';
import { podPlaces } from '../pods';
import { rule, change, hit, nearest } from '../rule';

export default rule({
  id: 'pull-secret-missing',
  level: 'warning',
  title: 'The pull secret is not there',
  why: "Without its credentials a private registry refuses the image. The secret must stand in the pod's namespace and have the type kubernetes.io/dockerconfigjson.",
  absent: ['Secret'],
  bad: join(
    'apiVersion: v1\nkind: Secret\nmetadata: {name: shelf-pull}\ntype: kubernetes.io/dockerconfigjson\ndata: {.dockerconfigjson: e30=}\n',
    pod({ spec: 'imagePullSecrets: [{name: shelf-pulls}]' })
  ),
  good: join(
    'apiVersion: v1\nkind: Secret\nmetadata: {name: shelf-pull}\ntype: kubernetes.io/dockerconfigjson\ndata: {.dockerconfigjson: e30=}\n',
    pod({ spec: 'imagePullSecrets: [{name: shelf-pull}]' })
  ),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path, namespace }) =>
      ((spec.imagePullSecrets as { name?: string }[] | undefined) ?? []).flatMap((one, i) => {
        if (!one.name || context.find('Secret', namespace, one.name)) return [];
        const there = context.all('Secret', namespace).map((two) => two.metadata.name);
        if (!context.target && !there.length) return [];
        const near = nearest(one.name, there);
        return [
          hit(
            on,
            [...path, 'imagePullSecrets', i, 'name'],
            `There is no secret "${one.name}" in ${namespace}.`,
            near ? `Write ${near}.` : 'Send it too.',
            near ? change(`Write ${near}`, on, { set: [...path, 'imagePullSecrets', i, 'name'], value: near }) : undefined
          )
        ];
      })
    )
});
