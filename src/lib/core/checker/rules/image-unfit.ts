import { clusterVersion, fittingImage, imageVersionFault } from '../../standin';
import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'image-unfit',
  level: 'error',
  title: "The image doesn't fit the cluster's version",
  why: 'Each version of an engine is made for a span of cluster versions. Outside of it the program ends as it starts, again and again. The spans are those of the image cards of the stand-in, made up as they are.',
  against: 'south-quay',
  bad: pod({ image: 'shelf.standin.example/engines/multi-primary-sql:r3', container: 'resources: {limits: {memory: 1Gi}}' }),
  good: pod({ image: 'shelf.standin.example/engines/multi-primary-sql:r4', container: 'resources: {limits: {memory: 1Gi}}' }),
  check: (context) =>
    containerPlaces(context).flatMap(({ on, container, at }) => {
      const { target } = context;
      if (!target?.knowsProvider) return [];
      const cluster = clusterVersion(target);
      const fault = imageVersionFault(container.image, cluster);
      if (!fault) return [];
      const better = fittingImage(container.image, cluster);
      return [
        hit(
          on,
          [...at, 'image'],
          `${fault}.`,
          better ? `Write ${better}.` : 'No version of it fits.',
          better ? change(`Write ${better}`, on, { set: [...at, 'image'], value: better }) : undefined
        )
      ];
    })
});
