import type { EngineCard } from './card';

/** Names, versions, sizes, ports and times are made up. */
export const objectStore = {
  likeness: 'a store of objects in buckets, with parity',
  asks: 'any',
  copies: 'alone',
  place: 'bucket',
  parts: [
    {
      name: 'object-store',
      part: 'member',
      rank: 1,
      version: 'r3',
      older: [{ version: 'r2', from: '1.22', to: '1.30' }],
      mib: 180,
      drawMs: [8_000, 25_000],
      normalMs: [8_000, 40_000],
      leastMib: 512,
      ports: [7180, 7181, 7182],
      tlsPort: 7182
    }
  ],
  harmless: { do: 'list' },
  forms: [
    { do: 'make-bucket', title: 'Make a bucket', fields: [{ id: 'place', label: 'bucket', start: 'cargo-papers' }], member: false },
    {
      do: 'put',
      title: 'Put',
      fields: [
        { id: 'place', label: 'bucket', start: 'cargo-papers' },
        { id: 'key', label: 'object', start: 'manifest-1.txt' },
        { id: 'bytes', label: 'bytes', start: '65536' }
      ],
      member: true
    },
    {
      do: 'get',
      title: 'Get',
      fields: [
        { id: 'place', label: 'bucket', start: 'cargo-papers' },
        { id: 'key', label: 'object', start: 'manifest-1.txt' }
      ],
      member: true
    },
    { do: 'drop', title: 'Empty a bucket', fields: [{ id: 'place', label: 'bucket', start: 'cargo-papers' }], member: true },
    { do: 'list', title: 'List', fields: [{ id: 'place', label: 'bucket (none: all buckets)', start: 'cargo-papers' }], member: true },
    { do: 'health', title: 'Volumes', fields: [], member: true }
  ]
} satisfies EngineCard;
