import { claim } from '../examples';
import { rule } from '../rule';

export default rule({
  id: 'missing-field',
  level: 'error',
  title: 'A needed field is missing',
  why: 'The cluster refuses an object that lacks a field it needs, and with it the whole batch.',
  bad: 'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ledger}\nspec: {accessModes: [ReadWriteOnce]}\n',
  good: claim()
});
