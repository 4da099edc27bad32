import { deployment, join } from '../examples';
import { podPlaces } from '../pods';
import { hit, rule } from '../rule';
import { podOf } from '../shut';
import { quotaCounts, unsaid } from '../../standin';

const quota = 'apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: cap}\nspec: {hard: {limits.memory: 8Gi}}\n';

export default rule({
  id: 'quota-silent',
  level: 'error',
  title: 'A quota counts what the pod does not say',
  why: 'Where a quota counts a request or a limit, every container of the namespace has to say it, by itself or through a limit range. Pods that are silent are refused as they are made.',
  bad: join(quota, deployment({ container: 'resources: {requests: {memory: 64Mi}}' })),
  good: join(quota, deployment({ container: 'resources: {limits: {memory: 64Mi}}' })),
  check: (context) =>
    podPlaces(context).flatMap((place) => {
      const pod = podOf(context, place);
      return context.all('ResourceQuota', place.namespace).flatMap((one) => {
        const missing = quotaCounts(one, pod) ? unsaid(one, pod) : undefined;
        return missing
          ? [
              hit(
                place.on,
                [...place.path, 'containers'],
                `The quota ${one.metadata.name} of ${place.namespace} counts ${missing}, which is not said.`,
                'Say it, or let a LimitRange of the namespace fill it in.'
              )
            ]
          : [];
      });
    })
});
