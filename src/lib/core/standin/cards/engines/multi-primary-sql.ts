import type { EngineCard } from './card';
import { tableForms } from './tables';

/** Names, versions, sizes, ports and times are made up. */
export const multiPrimarySql = {
  likeness: 'a SQL database that takes writes at every member',
  asks: 'any',
  copies: 'with-log',
  place: 'table',
  parts: [
    {
      name: 'multi-primary-sql',
      part: 'member',
      rank: 1,
      byMajority: true,
      version: 'r4',
      older: [{ version: 'r3', from: '1.20', to: '1.29' }],
      mib: 420,
      drawMs: [22_000, 48_000],
      normalMs: [20_000, 60_000],
      first: { drawMs: [34_000, 80_000], normalMs: [30_000, 90_000] },
      leastMib: 512,
      ports: [7110, 7111, 7112, 7113],
      tlsPort: 7113,
      tlsAlone: true
    }
  ],
  harmless: { do: 'list', place: 'main' },
  forms: tableForms
} satisfies EngineCard;
