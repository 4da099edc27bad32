import type { EngineCard, EnginePartCard } from './card';
import { documentSet } from './document-set';
import { imageShelf } from './image-shelf';
import { logBroker } from './log-broker';
import { memoryStore } from './memory-store';
import { multiPrimarySql } from './multi-primary-sql';
import { objectStore } from './object-store';
import { primaryStandbySql } from './primary-standby-sql';
import { sharedFiles } from './shared-files';
import { timeSeries } from './time-series';

export type { ConsoleForm, EngineCard, EnginePartCard, ImageVersion } from './card';

/** The engines that the stand-in has. A further one is a file here, a line here, and its behaviour in `engines/` (see docs/adding.md). */
const cards = {
  'multi-primary-sql': multiPrimarySql,
  'primary-standby-sql': primaryStandbySql,
  'log-broker': logBroker,
  'memory-store': memoryStore,
  'document-set': documentSet,
  'object-store': objectStore,
  'time-series': timeSeries,
  'shared-files': sharedFiles,
  'image-shelf': imageShelf
} satisfies Record<string, EngineCard>;

/** Engines that run in members. */
export type EngineId = keyof typeof cards;

/** Every engine by its id. */
export const engineCards: Readonly<Record<EngineId, EngineCard>> = cards;

/** Which part of an engine an image is. */
export interface EnginePart {
  readonly engine: EngineId;
  readonly part: string;
}

const partCard = ({ engine, part }: EnginePart): EnginePartCard | undefined =>
  (engineCards[engine] as EngineCard | undefined)?.parts.find((one) => one.part === part);

/** When a part of a workload starts, among its parts: lower first, and it stops last. What is no engine's part comes with those that use one. */
export const partRank = (part: EnginePart | undefined): number => (part && partCard(part)?.rank) ?? 2;

/** Whether clients are led to members of a part. */
export const servesClients = (part: EnginePart | undefined): boolean => (part && partCard(part)?.behind) !== true;

/** Whether members of a part decide by a majority of them, so that an even number of them gains nothing. */
export const decidesByMajority = (part: EnginePart | undefined): boolean => (part && partCard(part)?.byMajority) ?? false;
