import { rule } from '../rule';

export default rule({
  id: 'too-deep',
  level: 'error',
  title: 'The document is nested too deep',
  why: 'No kind of the cluster API is nested a hundred levels deep. A text that is either was made by mistake or means harm.',
  bad: `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes}\nspec: ${'{a: '.repeat(120)}1${'}'.repeat(120)}\n`,
  good: 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes}\ndata: {a: "1"}\n'
});
