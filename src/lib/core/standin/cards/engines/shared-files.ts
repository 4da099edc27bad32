import type { EngineCard } from './card';

/** Names, versions, sizes, ports and times are made up. */
export const sharedFiles = {
  likeness: 'a server of shared files',
  asks: 'any',
  copies: 'alone',
  place: 'directory',
  parts: [
    {
      name: 'chart-files',
      part: 'user',
      rank: 2,
      version: 'r1',
      mib: 90,
      drawMs: [2_000, 8_000],
      normalMs: [2_000, 20_000],
      ports: [7210]
    },
    {
      name: 'mount-agent',
      part: 'agent',
      behind: true,
      rank: 2,
      version: 'r1',
      mib: 60,
      drawMs: [2_000, 6_000],
      normalMs: [2_000, 20_000],
      ports: [7211]
    }
  ],
  harmless: { do: 'list' },
  forms: [
    {
      do: 'write',
      title: 'Write a file',
      fields: [
        { id: 'key', label: 'path', start: 'charts/north.txt' },
        { id: 'value', label: 'content', start: 'depth 14' }
      ],
      member: true
    },
    { do: 'read', title: 'Read', fields: [{ id: 'key', label: 'path', start: 'charts/north.txt' }], member: true },
    { do: 'list', title: 'List', fields: [{ id: 'place', label: 'directory', start: '' }], member: true },
    { do: 'open', title: 'Open', fields: [{ id: 'key', label: 'path', start: 'charts/north.txt' }], member: true },
    { do: 'read-open', title: 'Read what is open', fields: [{ id: 'value', label: 'opened as', start: '' }], member: true },
    {
      do: 'write-open',
      title: 'Write what is open',
      fields: [
        { id: 'key', label: 'opened as', start: '' },
        { id: 'value', label: 'content', start: 'depth 15' }
      ],
      member: true
    },
    { do: 'close', title: 'Close', fields: [{ id: 'value', label: 'opened as', start: '' }], member: true },
    { do: 'drop', title: 'Remove a directory', fields: [{ id: 'place', label: 'directory', start: 'charts' }], member: true },
    { do: 'delete', title: 'Remove', fields: [{ id: 'key', label: 'path', start: 'charts/north.txt' }], member: true }
  ]
} satisfies EngineCard;
