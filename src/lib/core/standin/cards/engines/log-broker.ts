import type { EngineCard } from './card';

/** Names, versions, sizes, ports and times are made up. */
export const logBroker = {
  likeness: 'a broker of topics in partitions',
  asks: 'routed',
  copies: 'alone',
  place: 'topic',
  parts: [
    {
      name: 'log-coordinator',
      part: 'coordinator',
      behind: true,
      rank: 0,
      byMajority: true,
      version: 'r3',
      older: [{ version: 'r2', from: '1.20', to: '1.29' }],
      mib: 260,
      drawMs: [20_000, 45_000],
      normalMs: [20_000, 60_000],
      leastMib: 256,
      ports: [7130, 7131]
    },
    {
      name: 'log-broker',
      part: 'broker',
      rank: 1,
      version: 'r3',
      older: [{ version: 'r2', from: '1.20', to: '1.29' }],
      mib: 380,
      drawMs: [20_000, 50_000],
      normalMs: [20_000, 60_000],
      leastMib: 512,
      ports: [7140, 7141, 7142],
      tlsPort: 7142
    },
    {
      name: 'log-helper',
      part: 'helper',
      behind: true,
      rank: 3,
      version: 'r3',
      mib: 120,
      drawMs: [5_000, 15_000],
      normalMs: [5_000, 30_000],
      ports: [7150]
    }
  ],
  harmless: { do: 'topics' },
  forms: [
    {
      do: 'make-topic',
      title: 'Make a topic',
      fields: [
        { id: 'place', label: 'topic', start: 'gate-scans' },
        { id: 'count', label: 'partitions', start: '6' }
      ],
      member: false
    },
    {
      do: 'produce',
      title: 'Produce',
      fields: [
        { id: 'place', label: 'topic', start: 'gate-scans' },
        { id: 'value', label: 'message', start: 'gate 4, ticket 1187' },
        { id: 'acks', label: 'acknowledged by', start: 'all', options: ['all', 'leader', 'none'] }
      ],
      member: false
    },
    {
      do: 'consume',
      title: 'Consume',
      fields: [
        { id: 'place', label: 'topic', start: 'gate-scans' },
        { id: 'from', label: 'from the', start: 'beginning', options: ['beginning', 'last', 'end'] },
        { id: 'group', label: 'for the group', start: '' }
      ],
      member: false
    },
    { do: 'drop', title: 'Drop a topic', fields: [{ id: 'place', label: 'topic', start: 'gate-scans' }], member: false },
    { do: 'topics', title: 'Topics', fields: [], member: true },
    { do: 'groups', title: 'Groups of readers', fields: [], member: false }
  ]
} satisfies EngineCard;
