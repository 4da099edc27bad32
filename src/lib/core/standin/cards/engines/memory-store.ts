import type { EngineCard } from './card';

/** Names, versions, sizes, ports and times are made up. */
export const memoryStore = {
  likeness: 'a store in memory, in shards with replicas',
  asks: 'routed',
  copies: 'alone',
  place: 'database',
  parts: [
    {
      name: 'memory-node',
      part: 'node',
      rank: 1,
      version: 'r4',
      mib: 520,
      drawMs: [90_000, 118_000],
      normalMs: [80_000, 130_000],
      leastMib: 2_048,
      ports: [7160, 7161],
      licence: 'limited: places of more than 40 nodes need a letter from its makers'
    }
  ],
  harmless: { do: 'shards' },
  forms: [
    {
      do: 'make-database',
      title: 'Make a database',
      fields: [
        { id: 'place', label: 'database', start: 'fares' },
        { id: 'bytes', label: 'bytes', start: '1073741824' },
        { id: 'count', label: 'shards', start: '2' },
        { id: 'value', label: 'replicas', start: '1' }
      ],
      member: false
    },
    {
      do: 'write',
      title: 'Write',
      fields: [
        { id: 'place', label: 'database', start: 'fares' },
        { id: 'key', label: 'key', start: 'k1' },
        { id: 'value', label: 'value', start: 'v1' }
      ],
      member: true
    },
    {
      do: 'read',
      title: 'Read',
      fields: [
        { id: 'place', label: 'database', start: 'fares' },
        { id: 'key', label: 'key', start: 'k1' }
      ],
      member: true
    },
    { do: 'drop', title: 'Drop a database', fields: [{ id: 'place', label: 'database', start: 'fares' }], member: false },
    { do: 'shards', title: 'Shards', fields: [], member: true }
  ]
} satisfies EngineCard;
