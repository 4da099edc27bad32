import { pod } from '../examples';
import { hit, rule } from '../rule';
import { toBe, writtenAs } from '../to-be';

const mounts = (type: string): string => pod({ spec: `volumes: [{name: data, hostPath: {path: /srv/none, type: ${type}}}]` });

export default rule({
  id: 'host-path-missing',
  level: 'error',
  title: 'A path that its node has not',
  why: 'With a type that asks for something to be there a path of the node is looked at before the container starts. Where it is not there the pod waits, and no other node is tried.',
  against: 'north-quay',
  bad: mounts('Directory'),
  good: mounts('DirectoryOrCreate'),
  check: (context) =>
    toBe(context).parts.flatMap((part) => {
      const on = part.lacks?.path && writtenAs(context, part.of);
      return on
        ? [
            hit(
              on,
              ['spec'],
              `${part.lacks!.says}, where a member would stand.`,
              'Take a claim instead, or write the type that lets it be made.'
            )
          ]
        : [];
    })
});
