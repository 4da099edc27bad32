import { ownerOf, isReady, type OperatorOrder } from '../../../model';
import { clusterVersion } from '../../provider/drivers';
import { imageTag, operatorImages } from '../../provider/images';
import { imageVersionFault } from '../../provider/image-versions';
import type { ClusterAccess } from '../loop';

import { operatorDeployments, operatorNamed, operatorPods, rightsWords, versionsOf } from '../../provider/operators';
import { ensure, report } from './expanding';
import { operatorObjects } from './objects';

/** Kinds that stay when an order is taken away: with the definitions every custom resource would go. */
const stay = new Set(['Namespace', 'CustomResourceDefinition']);

/** An operator that was ordered from the catalogue is installed, once somebody agreed to what it may do. */
export function install(world: ClusterAccess, order: OperatorOrder): void {
  const { operator, version, watches, agreed } = order.spec;
  const refuse = (reason: string, message: string) => report(world, order, 'refused', 'False', reason, message);
  const card = operatorNamed(operator);
  if (!card || card.id === 'manager') return refuse('Unknown', `The catalogue has no ${operator}.`);
  const versions = versionsOf(card).map((one) => one.version);
  if (!versions.includes(version)) return refuse('Unknown', `The catalogue has no ${operator} ${version}; it has ${versions.join(', ')}.`);
  const image = `${operatorImages[card.id]}:${version}`;
  const unfit = imageVersionFault(image, clusterVersion(world.store));
  if (unfit) return refuse('Unfit', `${unfit}.`);
  const objects = operatorObjects(card, watches, { version });
  const [running] = operatorDeployments(world.store, card);
  const old = running?.spec.template.spec.containers[0];
  const wanted = watches.join(',');
  const same = old && imageTag(old.image) === version && (old.env?.find((one) => one.name === 'LOOKS_AFTER')?.value ?? '') === wanted;
  if (!same && !agreed)
    return report(
      world,
      order,
      'agreement',
      'False',
      'WaitsForAgreement',
      `${running ? `It would be altered to ${version}, looking after ${wanted || 'all namespaces'}` : `It would make ${objects.length} objects`}, with rights to make ${rightsWords(card)}: write spec.agreed: true.`
    );
  const owner = { ownerReferences: [ownerOf(order)] };
  for (const object of objects) ensure(world, object, stay.has(object.kind) ? {} : owner);
  if (running && !same) {
    const made = objects.find((one) => one.kind === 'Deployment')!;
    if (made.kind === 'Deployment')
      world.put({
        ...running,
        spec: { ...running.spec, template: made.spec.template },
        metadata: { ...running.metadata, generation: (running.metadata.generation ?? 1) + 1 }
      });
  }
  const pods = operatorPods(world.store, card).filter((pod) => imageTag(pod.spec.containers[0]!.image) === version);
  if (pods.some(isReady))
    report(
      world,
      order,
      'ready',
      'True',
      'Ready',
      `${operator} ${version} looks after ${wanted.replaceAll(',', ', ') || 'all namespaces'}.`
    );
  else report(world, order, 'installing', 'False', 'Installing', `${operator} ${version} is being installed: 0 of 1 ready.`);
}
