import { imageParts, imageTag } from '../../standin';
import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'tag-latest',
  level: 'warning',
  title: 'An image without a fixed tag',
  why: 'Without a tag, or with "latest", two members can run two versions, and nobody knows which one ran yesterday.',
  bad: pod({ image: 'shelf.example.test/tool' }),
  good: pod({ image: 'shelf.example.test/tool:r2' }),
  check: (context) =>
    containerPlaces(context).flatMap(({ on, container, at }) => {
      const tag = imageTag(container.image);
      if (container.image.includes('@sha256:') || (tag !== '' && tag !== 'latest')) return [];
      const known = context.target
        ?.list('Registry')
        .flatMap((one) => one.spec.images ?? [])
        .find((one) => imageParts(one).repository === imageParts(container.image).repository && imageTag(one));
      return [
        hit(
          on,
          [...at, 'image'],
          `${container.image} ${tag ? 'is whatever "latest" is today' : 'has no tag'}.`,
          'Name a version.',
          known ? change(`Write ${known}`, on, { set: [...at, 'image'], value: known }) : undefined
        )
      ];
    })
});
