import type { ConsoleForm } from './card';

const table = { id: 'place', label: 'table', start: 'main' } as const;
/** What can be asked of an engine that keeps tables. */
export const tableForms: readonly ConsoleForm[] = [
  {
    do: 'write',
    title: 'Write',
    fields: [table, { id: 'key', label: 'key', start: 'k1' }, { id: 'value', label: 'value', start: 'v1' }],
    member: true
  },
  { do: 'read', title: 'Read', fields: [table, { id: 'key', label: 'key', start: 'k1' }], member: true },
  { do: 'list', title: 'List', fields: [table], member: true },
  { do: 'drop', title: 'Drop a table', fields: [table], member: true },
  { do: 'members', title: 'Who is there?', fields: [], member: true }
];
