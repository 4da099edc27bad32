import type { EngineCard } from './card';

/** Names, versions, sizes, ports and times are made up. */
export const imageShelf = {
  likeness: 'a registry of images',
  asks: 'any',
  copies: 'alone',
  place: 'image',
  parts: [
    {
      name: 'image-shelf',
      part: 'shelf',
      rank: 2,
      version: 'r4',
      older: [{ version: 'r3', from: '1.20', to: '1.36' }],
      mib: 60,
      drawMs: [2_000, 6_000],
      normalMs: [2_000, 20_000],
      ports: [7220]
    }
  ],
  harmless: { do: 'list' },
  forms: [
    {
      do: 'push',
      title: 'Push',
      fields: [
        { id: 'key', label: 'image', start: 'tools/chart:r2' },
        { id: 'bytes', label: 'bytes', start: '200000' }
      ],
      member: false
    },
    { do: 'pull', title: 'Pull', fields: [{ id: 'key', label: 'image', start: 'tools/chart:r2' }], member: false },
    {
      do: 'drop',
      title: 'Take off the shelf',
      fields: [{ id: 'place', label: 'image, with or without a version', start: 'tools/chart' }],
      member: false
    },
    { do: 'list', title: 'List', fields: [], member: false }
  ]
} satisfies EngineCard;
