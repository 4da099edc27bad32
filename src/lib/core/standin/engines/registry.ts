import { CoreError } from '../../shared';
import type { EngineId } from '../provider/images';
import { SharedFiles } from './files';
import { LogBroker } from './log';
import { MemoryStore } from './memory';
import { ObjectStore } from './objects';
import { TimeSeries } from './series';
import { ImageShelf } from './shelf';
import type { Engine, Site } from './site';
import { documentSet, multiPrimarySql, primaryStandbySql, tableRows } from './tables';

const whole = (text: string | undefined, otherwise: number): number => {
  const n = Number(text);
  return text !== undefined && Number.isInteger(n) && n >= 0 ? n : otherwise;
};

/** `crew-0=3, crew-1=2` as a map. */
function priorities(text: string | undefined): Record<string, number> {
  return Object.fromEntries(
    (text ?? '').split(',').flatMap((one): [string, number][] => {
      const [id, n] = one.split('=').map((part) => part.trim());
      return id && n !== undefined && /^\d+$/.test(n) ? [[id, Number(n)]] : [];
    })
  );
}

/** One engine: how it is made from its members' settings, and what its data are as plain rows. */
interface EngineEntry {
  make(site: Site): Engine;
  rows?(data: unknown): [string, string][] | undefined;
}

const first = (site: Site, name: string): string | undefined => site.option(site.ids[0] ?? '', name);

const entries: Record<EngineId, EngineEntry> = {
  'multi-primary-sql': { make: multiPrimarySql, rows: tableRows },
  'primary-standby-sql': { make: (site) => primaryStandbySql(whole(first(site, 'synchronous'), 1)), rows: tableRows },
  'log-broker': { make: () => new LogBroker() },
  'memory-store': { make: () => new MemoryStore() },
  'time-series': { make: (site) => new TimeSeries(whole(first(site, 'copies'), 2)) },
  'shared-files': { make: () => new SharedFiles(), rows: (data) => data as [string, string][] | undefined },
  'image-shelf': { make: () => new ImageShelf() },
  'object-store': { make: (site) => new ObjectStore(whole(first(site, 'parity'), 1)) },
  'document-set': { make: (site) => documentSet(priorities(first(site, 'priorities'))), rows: tableRows }
};

/** Whether a stand-in of an engine exists. */
export const hasEngine = (id: string): id is EngineId => id in entries;

/** The engine of a workload, set up as its members were started. */
export function engineFor(id: string, site: Site): Engine {
  const entry = entries[id as EngineId];
  if (!entry) throw new CoreError('engineFor', 'the engine must ship with the stand-in', id);
  return entry.make(site);
}

/** What a volume's engine data hold, as rows; undefined where they aren't rows. */
export const rowsIn = (id: string, data: unknown): [string, string][] | undefined => entries[id as EngineId]?.rows?.(data);
