import type { Asked } from '../shared';

/** Something that a dump can't show and that a rehearsal has to suppose. */
export interface Assumption extends Asked {
  readonly id: string;
  /** What is supposed, with the value left open as `…`. */
  readonly says: string;
  readonly why: string;
  readonly value: string;
  /** A value that the export makes likely, and that nobody has confirmed. */
  readonly proposed?: string;
  /** The export says so, and whoever rehearses doesn't suppose the opposite unless the reader does. */
  readonly stated?: true;
}

/** What a dump says of one driver. */
export interface DriverSeen {
  readonly driver: string;
  readonly topologyKey: string;
  readonly places: readonly string[];
  readonly limit: number | undefined;
  readonly volumes: number;
  readonly largestBytes: number;
  readonly bytes: number;
}
