import { rule } from '../rule';

export default rule({
  id: 'yaml-syntax',
  level: 'error',
  title: 'The text is no YAML',
  why: 'A manifest that cannot be read is not sent at all. Most often an indentation is off by one, a bracket or a quote is not closed, or a text that begins with a special character lacks its quotes.',
  bad: 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes\n',
  good: 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes}\n'
});
