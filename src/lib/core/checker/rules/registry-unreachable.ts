import { pullOf, imageParts } from '../../standin';
import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'registry-unreachable',
  level: 'error',
  title: 'The registry cannot be reached from this cluster',
  why: 'Nodes pull images from registries that they can reach. On closed networks the reference must be rewritten to one that they can.',
  against: 'harbour',
  bad: pod({ image: 'elsewhere.example/engines/image-shelf:r4' }),
  good: pod({ image: 'shelf.standin.example/engines/image-shelf:r4' }),
  check: (context) =>
    containerPlaces(context).flatMap(({ on, container, at }) => {
      const { target } = context;
      if (!target?.knowsProvider || !target.list('Registry').length) return [];
      const { fault } = pullOf(target, container.image);
      if (!fault || fault.field === 'spec.images') return [];
      const reachable = context.all('Registry').filter((one) => one.spec.reachable);
      if (reachable.some((one) => one.spec.host === imageParts(container.image).host)) return [];
      const { host } = imageParts(container.image);
      const other = reachable[0]?.spec.host;
      const better = other && (host ? container.image.replace(host, other) : `${other}/${container.image}`);
      return [
        hit(
          on,
          [...at, 'image'],
          `${container.image}: ${fault.message}.`,
          other ? `Use ${other}, which can be reached.` : 'Have the registry opened to the nodes.',
          better ? change(`Pull from ${other}`, on, { set: [...at, 'image'], value: better }) : undefined
        )
      ];
    })
});
