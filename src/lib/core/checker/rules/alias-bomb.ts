import { rule } from '../rule';

export default rule({
  id: 'alias-bomb',
  level: 'error',
  title: 'Aliases unfold into too much',
  why: 'An alias repeats what it names. A few that name each other make a small text unfold into gigabytes, so no more than a hundred are followed in one document.',
  bad: `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes}\na: &a [x, x, x, x, x, x, x, x, x]\nb: &b [*a, *a, *a, *a, *a, *a, *a, *a, *a]\nc: &c [*b, *b, *b, *b, *b, *b, *b, *b, *b]\nd: [*c, *c, *c, *c, *c, *c, *c, *c, *c]\n`,
  good: 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes, labels: &pair {app: desk}, annotations: *pair}\n'
});
