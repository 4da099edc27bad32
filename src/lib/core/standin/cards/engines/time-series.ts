import type { EngineCard } from './card';

/** Names, versions, sizes, ports and times are made up. */
export const timeSeries = {
  likeness: 'a store of measurements over time',
  copies: 'alone',
  place: 'table',
  parts: [
    {
      name: 'series-front',
      part: 'front',
      rank: 2,
      version: 'r2',
      mib: 400,
      drawMs: [20_000, 50_000],
      normalMs: [20_000, 60_000],
      leastMib: 512,
      ports: [7190]
    },
    {
      name: 'series-store',
      part: 'store',
      behind: true,
      rank: 2,
      version: 'r2',
      mib: 400,
      drawMs: [15_000, 40_000],
      normalMs: [15_000, 60_000],
      leastMib: 512,
      ports: [7190]
    }
  ],
  harmless: { do: 'query', place: 'readings' },
  forms: [
    { do: 'make-table', title: 'Make a table', fields: [{ id: 'place', label: 'table', start: 'readings' }], member: false },
    {
      do: 'insert',
      title: 'Insert',
      fields: [
        { id: 'place', label: 'table', start: 'readings' },
        { id: 'count', label: 'rows', start: '144' }
      ],
      member: false
    },
    { do: 'drop', title: 'Drop a table', fields: [{ id: 'place', label: 'table', start: 'readings' }], member: false },
    { do: 'query', title: 'Count and sum', fields: [{ id: 'place', label: 'table', start: 'readings' }], member: false }
  ]
} satisfies EngineCard;
