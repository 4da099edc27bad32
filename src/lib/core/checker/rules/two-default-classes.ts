import { defaultClassMark } from '../../model';
import { join, storageClass } from '../examples';
import { rule, change, hit, listed } from '../rule';

export default rule({
  id: 'two-default-classes',
  level: 'warning',
  title: 'Two classes are the default',
  why: 'With two defaults the newest wins. A class that somebody adds tomorrow changes where new claims go.',
  bad: join(
    storageClass(undefined, 'name: even, annotations: {storageclass.kubernetes.io/is-default-class: "true"}'),
    storageClass(undefined, 'name: odd, annotations: {storageclass.kubernetes.io/is-default-class: "true"}')
  ),
  good: join(
    storageClass(undefined, 'name: even, annotations: {storageclass.kubernetes.io/is-default-class: "true"}'),
    storageClass(undefined, 'name: odd')
  ),
  check: ({ written, all }) => {
    const marked = all('StorageClass').filter((one) => one.metadata.annotations?.[defaultClassMark] === 'true');
    const [last] = written('StorageClass')
      .filter((one) => marked.includes(one.object))
      .slice(-1);
    if (marked.length < 2 || !last) return [];
    const others = marked.filter((one) => one !== last.object).map((one) => one.metadata.name);
    return [
      hit(
        last,
        ['metadata', 'annotations', defaultClassMark],
        `${listed(others)} ${others.length === 1 ? 'is' : 'are'} the default too.`,
        'Leave the mark on one of them.',
        change('Take the mark off', last, { set: ['metadata', 'annotations', defaultClassMark], value: 'false' })
      )
    ];
  }
});
