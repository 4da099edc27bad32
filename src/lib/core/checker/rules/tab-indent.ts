import { rule } from '../rule';

export default rule({
  id: 'tab-indent',
  level: 'error',
  title: 'A line is indented with a tab',
  why: 'YAML allows spaces only at the beginning of a line (YAML 1.2.2, 6.1). Editors and copies from web pages bring tabs in unseen.',
  bad: 'apiVersion: v1\nkind: ConfigMap\nmetadata:\n\tname: notes\n',
  good: 'apiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: notes\n',
  repair: ({ text }) => ({
    says: 'Indent with spaces',
    edits: [...text.matchAll(/^[ ]*\t[ \t]*/gm)].map((found) => ({
      from: found.index,
      to: found.index + found[0].length,
      insert: found[0].replace(/\t/g, '  ')
    }))
  })
});
