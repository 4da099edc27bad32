import { CoreError } from '../../shared';
import type { EngineId } from '../provider/images';
import { isPlacedIn, namedIn, textOfNamed } from './copies';
import { isUnder, SharedFiles } from './files';
import { LogBroker } from './log';
import type { LogDisk } from './log/types';
import { MemoryStore } from './memory';
import { ObjectStore } from './objects';
import { TimeSeries } from './series';
import { ImageShelf, isImageOf } from './shelf';
import type { Engine, Site } from './site';
import { documentSet, multiPrimarySql, primaryStandbySql, tableContent, tableRows } from './tables';

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

/** What lies in a volume of an engine that doesn't keep plain rows, in so many words that its checksum stands for all of it. */
const summed = (format: string, rows: readonly (readonly [string, string])[]): [string, string][] => [
  ['format', format],
  ...rows.map(([a, b]): [string, string] => [a, b])
];

function logRows(data: unknown): [string, string][] {
  const { meta, parts = {} } = (data ?? {}) as LogDisk;
  // Who leads may change while a member is away; what is kept may not.
  const topics = Object.entries(meta?.state.topics ?? {}).map(
    ([name, one]) => [`topic ${name}`, `${one.partitions.length} partitions`] as const
  );
  return summed('log', [
    ...topics,
    ...Object.entries(parts).map(([key, one]) => [key, one.batches.map((two) => `${two.at}+${two.count}`).join(' ')] as const)
  ]);
}

const objectRows = (data: unknown): [string, string][] =>
  summed(
    'objects',
    Object.entries((data as { shards?: Record<string, { version: number; sum: string }> } | undefined)?.shards ?? {}).map(([name, one]) => [
      name,
      `${one.version} ${one.sum}`
    ])
  );

function seriesRows(data: unknown): [string, string][] {
  const { tables = {}, spans = {} } = (data ?? {}) as { tables?: Record<string, object>; spans?: Record<string, readonly unknown[]> };
  return summed('series', [
    ...Object.entries(tables).map(([name, one]) => [name, JSON.stringify(one)] as const),
    ...Object.entries(spans).map(([name, rows]) => [name, JSON.stringify(rows)] as const)
  ]);
}

const shelfRows = (data: unknown): [string, string][] =>
  summed(
    'shelf',
    Object.entries((data as { images?: Record<string, { digest: string }> } | undefined)?.images ?? {}).map(([name, one]) => [
      name,
      one.digest
    ])
  );

/** One engine: how it is made from its members' settings, and what its data are as plain rows. */
interface EngineEntry {
  make(site: Site): Engine;
  rows?(data: unknown): [string, string][] | undefined;
  /** What stands for the rows, where that is told without making them. */
  content?(data: unknown): object | undefined;
  /** Whether something of that name in a copy lies in a place: a table, topic, bucket, directory, image. */
  lies(name: string, place: string): boolean;
}

const inTable = (name: string, place: string): boolean => name.startsWith(`${place}/`);

const first = (site: Site, name: string): string | undefined => site.option(site.ids[0] ?? '', name);

const entries: Record<EngineId, EngineEntry> = {
  'multi-primary-sql': { make: multiPrimarySql, rows: tableRows, content: tableContent, lies: inTable },
  'primary-standby-sql': {
    make: (site) => primaryStandbySql(whole(first(site, 'synchronous'), 1)),
    rows: tableRows,
    content: tableContent,
    lies: inTable
  },
  'log-broker': { make: () => new LogBroker(), rows: logRows, lies: isPlacedIn },
  'memory-store': { make: () => new MemoryStore(), rows: logRows, lies: isPlacedIn },
  'time-series': { make: (site) => new TimeSeries(whole(first(site, 'copies'), 2)), rows: seriesRows, lies: isPlacedIn },
  'shared-files': { make: () => new SharedFiles(), rows: (data) => data as [string, string][] | undefined, lies: isUnder },
  'image-shelf': { make: () => new ImageShelf(), rows: shelfRows, lies: isImageOf },
  'object-store': { make: (site) => new ObjectStore(whole(first(site, 'parity'), 1)), rows: objectRows, lies: isPlacedIn },
  'document-set': {
    make: (site) => documentSet(priorities(first(site, 'priorities'))),
    rows: tableRows,
    content: tableContent,
    lies: inTable
  }
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

/** What stands for the rows of a volume's engine data: the same object where they are the same rows; undefined where only the rows themselves tell. */
export const contentIn = (id: string, data: unknown): object | undefined => entries[id as EngineId]?.content?.(data);

/** What of a copy lies in one place, as the text of a copy. @param id the engine that it is of */
export const copyOfPlace = (id: string, text: string, place: string): string =>
  textOfNamed((namedIn(text) ?? []).filter(([name]) => entries[id as EngineId]?.lies(name, place)));
