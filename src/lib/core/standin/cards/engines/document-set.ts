import type { EngineCard } from './card';
import { tableForms } from './tables';

/** Names, versions, sizes, ports and times are made up. */
export const documentSet = {
  likeness: 'a document database whose members elect a primary',
  copies: 'with-log',
  place: 'collection',
  parts: [
    {
      name: 'document-set',
      part: 'member',
      rank: 1,
      byMajority: true,
      version: 'r5',
      older: [{ version: 'r4', from: '1.20', to: '1.30' }],
      mib: 640,
      drawMs: [15_000, 45_000],
      normalMs: [15_000, 60_000],
      leastMib: 512,
      ports: [7170]
    }
  ],
  harmless: { do: 'list', place: 'main' },
  forms: tableForms.map((one) => ({
    ...one,
    fields: one.fields.map((field) => (field.id === 'place' ? { ...field, label: 'collection' } : field))
  }))
} satisfies EngineCard;
