import { join, claim } from '../examples';
import { rule } from '../rule';

export default rule({
  id: 'duplicate-object',
  level: 'error',
  title: 'The same object is written twice',
  why: 'Of two objects with the same kind, namespace and name the later one wins, unseen. Copies are a common way to lose a change.',
  bad: join(claim(), claim()),
  good: join(claim(), claim(undefined, 'name: journal')),
  repair: () => ({ says: 'Leave the second one out', whole: true })
});
