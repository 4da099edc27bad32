import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'memory-in-thousandths',
  level: 'error',
  title: 'Memory in thousandths of a byte',
  why: 'The suffix m means thousandths: 512m of memory is half a byte. As a request it is nothing, as a limit nothing can start with it. Mi was meant.',
  bad: pod({ container: 'resources: {limits: {memory: 512m}}' }),
  good: pod({ container: 'resources: {limits: {memory: 512Mi}}' }),
  check: (context) =>
    containerPlaces(context).flatMap(({ on, container, at }) =>
      (['requests', 'limits'] as const).flatMap((part) =>
        ['memory', 'ephemeral-storage'].flatMap((name) => {
          const value = container.resources?.[part]?.[name];
          if (typeof value !== 'string' || !/^\d+(\.\d+)?m$/.test(value)) return [];
          const path = [...at, 'resources', part, name];
          const meant = value.replace(/m$/, 'Mi');
          return [
            hit(
              on,
              path,
              `${value} of ${name} is less than a byte.`,
              `Write ${meant}.`,
              change(`Write ${meant}`, on, { set: path, value: meant })
            )
          ];
        })
      )
    )
});
