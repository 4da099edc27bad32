import type { EngineCard } from './card';
import { tableForms } from './tables';

/** Names, versions, sizes, ports and times are made up. */
export const primaryStandbySql = {
  likeness: 'a SQL database with one primary and standbys',
  copies: 'with-log',
  place: 'table',
  parts: [
    {
      name: 'primary-standby-sql',
      part: 'member',
      rank: 1,
      byMajority: true,
      version: 'r6',
      older: [{ version: 'r5', from: '1.22', to: '1.31' }],
      mib: 380,
      drawMs: [15_000, 40_000],
      normalMs: [15_000, 60_000],
      first: { drawMs: [20_000, 60_000], normalMs: [20_000, 90_000] },
      leastMib: 512,
      ports: [7120, 7121, 7122],
      tlsPort: 7122,
      tlsAlone: true
    }
  ],
  harmless: { do: 'list', place: 'main' },
  forms: tableForms
} satisfies EngineCard;
