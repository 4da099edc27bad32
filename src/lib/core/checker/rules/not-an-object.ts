import { rule } from '../rule';

export default rule({
  id: 'not-an-object',
  level: 'error',
  title: 'A document is no object',
  why: 'Every document of a manifest is a map with apiVersion, kind and metadata. A list or a bare text stands there when a line of dashes is missing or an indentation is lost.',
  bad: '- apiVersion: v1\n  kind: ConfigMap\n  metadata: {name: notes}\n',
  good: 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes}\n'
});
