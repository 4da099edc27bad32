import { hash32 } from '../../shared';
import type { PodSpec } from '../../model';
import type { SpanMs } from '../clock/steps';
import { driverCards } from './drivers';

/** Which part of a storage driver an image is. */
export interface DriverPart {
  readonly driver: string;
  /** `helper`: only helps (collectors, dashboards); nothing waits for it. */
  readonly part: 'controller' | 'node' | 'helper';
}

/** Which part of a pool's machinery an image is. */
export type PoolPart = 'operator' | 'discovery' | 'prepare' | 'keeper' | 'disk';

/** What the stand-in knows of an image. Sizes and times are made up. */
export interface ImageCard {
  readonly sizeBytes: number;
  readonly drawMs: SpanMs;
  /** Patience band of its start, common practice, no source. */
  readonly normalMs: SpanMs;
  /** The first member of a set founds what the others join, and takes longer. */
  readonly first?: { readonly drawMs: SpanMs; readonly normalMs: SpanMs };
  /** Below this memory limit it is killed at its start. */
  readonly leastMemoryBytes?: number;
  readonly ports?: readonly number[];
  readonly driverPart?: DriverPart;
  readonly poolPart?: PoolPart;
  /** It ends by itself after so long (a job's work). */
  readonly worksMs?: SpanMs;
}

const mib = 2 ** 20;
const shelf = 'shelf.standin.example';

const cards: Record<string, ImageCard> = {
  [`${shelf}/engines/multi-primary-sql`]: {
    sizeBytes: 420 * mib,
    drawMs: [22_000, 48_000],
    normalMs: [20_000, 60_000],
    first: { drawMs: [34_000, 80_000], normalMs: [30_000, 90_000] },
    leastMemoryBytes: 512 * mib,
    ports: [3600, 3601, 3602]
  },
  [`${shelf}/engines/log-coordinator`]: {
    sizeBytes: 260 * mib,
    drawMs: [20_000, 45_000],
    normalMs: [20_000, 60_000],
    leastMemoryBytes: 256 * mib,
    ports: [2900, 2901]
  },
  [`${shelf}/engines/log-broker`]: {
    sizeBytes: 380 * mib,
    drawMs: [20_000, 50_000],
    normalMs: [20_000, 60_000],
    leastMemoryBytes: 512 * mib,
    ports: [2910, 2911]
  },
  [`${shelf}/engines/image-shelf`]: { sizeBytes: 60 * mib, drawMs: [2_000, 6_000], normalMs: [2_000, 20_000], ports: [5050] }
};

/** The version of an engine that is offered to begin with. Made up. */
const firstVersions: Record<string, string> = {
  'multi-primary-sql': '8.4',
  'log-coordinator': '3.1',
  'log-broker': '3.1',
  'image-shelf': '2.8'
};

const driverImage = (part: DriverPart): ImageCard => ({
  sizeBytes: { controller: 96, node: 72, helper: 180 }[part.part] * mib,
  drawMs: part.part === 'helper' ? [20_000, 70_000] : [6_000, 22_000],
  normalMs: part.part === 'helper' ? [10_000, 120_000] : [10_000, 60_000],
  driverPart: part
});

for (const { driver, short } of driverCards) {
  for (const part of ['controller', 'node', 'helper'] as const) cards[`${shelf}/drivers/${short}-${part}`] = driverImage({ driver, part });
}

/** Disks are prepared in 1 to 5 minutes: common practice, no source. */
const poolImages: Record<PoolPart, Partial<ImageCard> & { mib: number }> = {
  operator: { mib: 110, drawMs: [6_000, 20_000], normalMs: [10_000, 60_000] },
  discovery: { mib: 60, drawMs: [4_000, 12_000], normalMs: [5_000, 60_000] },
  prepare: { mib: 150, drawMs: [2_000, 5_000], normalMs: [2_000, 20_000], worksMs: [60_000, 240_000] },
  keeper: { mib: 150, drawMs: [8_000, 30_000], normalMs: [10_000, 60_000], leastMemoryBytes: 512 * mib },
  disk: { mib: 150, drawMs: [8_000, 25_000], normalMs: [10_000, 60_000], leastMemoryBytes: 1_024 * mib }
};
for (const [part, card] of Object.entries(poolImages) as [PoolPart, (typeof poolImages)[PoolPart]][]) {
  const { mib: size, ...rest } = card;
  cards[`${shelf}/operators/pool-${part}`] = {
    sizeBytes: size * mib,
    drawMs: [2_000, 8_000],
    normalMs: [2_000, 20_000],
    ...rest,
    poolPart: part
  };
}

/** Host and path of an image reference without tag and digest. */
export function imageParts(image: string): { host: string; repository: string } {
  const bare = image.replace(/@.*$/, '').replace(/:[^/:]*$/, '');
  const slash = bare.indexOf('/');
  const first = slash < 0 ? '' : bare.slice(0, slash);
  const host = first.includes('.') || first.includes(':') ? first : '';
  return { host, repository: bare };
}

const known = new Map<string, ImageCard>();

/** What is known of an image; one that isn't on the list is an ordinary program of 40 to 200 MiB that starts in a few seconds. */
export function imageCard(image: string): ImageCard {
  let card = known.get(image);
  if (!card) {
    const { repository } = imageParts(image);
    card = cards[repository] ?? { sizeBytes: (40 + (hash32(repository) % 160)) * mib, drawMs: [2_000, 8_000], normalMs: [2_000, 20_000] };
    if (known.size > 2_000) known.clear();
    known.set(image, card);
  }
  return card;
}

const parts = new WeakMap<object, DriverPart | null>();

/** The driver part that a pod is, by its first container that is one. */
export function driverPartOf(spec: PodSpec): DriverPart | undefined {
  let part = parts.get(spec);
  if (part === undefined) {
    part = spec.containers.map((one) => imageCard(one.image).driverPart).find((one) => one) ?? null;
    parts.set(spec, part);
  }
  return part ?? undefined;
}

const poolParts = new WeakMap<object, PoolPart | null>();

/** The part of a pool's machinery that a pod is. */
export function poolPartOf(spec: PodSpec): PoolPart | undefined {
  let part = poolParts.get(spec);
  if (part === undefined) {
    part = spec.containers.map((one) => imageCard(one.image).poolPart).find((one) => one) ?? null;
    poolParts.set(spec, part);
  }
  return part ?? undefined;
}

/** The tag of an image reference; '' when it has none. */
export const imageTag = (image: string): string => /:([^/:@]+)(?:@.*)?$/.exec(image)?.[1] ?? '';

/** Images of the engines that ship with the stand-in, each in a version to begin with. */
export const shelfImages = (): string[] =>
  Object.keys(cards)
    .filter((one) => one.includes('/engines/'))
    .map((one) => `${one}:${firstVersions[one.split('/').at(-1)!] ?? '1.0'}`);
