import { CoreError, hash32 } from '../../shared';
import { likenessMark, makerOf, type Container, type Pod, type PodSpec } from '../../model';
import type { SpanMs } from '../clock/steps';
import { engineCards, type EngineId, type EnginePart, type ImageVersion } from '../cards/engines';
import { driverCards } from './drivers';

export type { EngineId, EnginePart, ImageVersion } from '../cards/engines';

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
  /** Where it serves the same data with a certificate, once it has one to show (TLS is on). */
  readonly tlsPort?: number;
  readonly tlsAlone?: boolean;
  readonly driverPart?: DriverPart;
  readonly poolPart?: PoolPart;
  readonly enginePart?: EnginePart;
  /** It ends by itself after so long (a job's work). */
  readonly worksMs?: SpanMs;
  /** What its licence restricts; undefined where it doesn't. Made up. */
  readonly licence?: string;
  readonly versions?: readonly ImageVersion[];
}

const mib = 2 ** 20;
const shelf = 'shelf.standin.example';

/** Cluster versions that what is offered fits. Made up. */
const offered = { from: '1.27', to: '1.36' } as const;

const cards: Record<string, ImageCard> = {};

const engineImages = Object.entries(engineCards).flatMap(([engine, { parts }]) =>
  parts.map((one) => ({ ...one, engine: engine as EngineId }))
);

for (const { name, mib: size, leastMib, version, older = [], engine, part, rank: _rank, byMajority: _byMajority, ...rest } of engineImages)
  cards[`${shelf}/engines/${name}`] = {
    sizeBytes: size * mib,
    ...(leastMib === undefined ? {} : { leastMemoryBytes: leastMib * mib }),
    ...rest,
    versions: [{ version, ...offered }, ...older],
    enginePart: { engine, part }
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

/** Operators, and what installs them from a catalogue, each with the port of its admission step. Made up. */
export const operatorImages = {
  memory: `${shelf}/operators/memory-operator`,
  documents: `${shelf}/operators/document-operator`,
  manager: `${shelf}/operators/operator-manager`
} as const;
const operatorVersions: Record<keyof typeof operatorImages, readonly ImageVersion[]> = {
  memory: [
    { version: 'r4', from: '1.27', to: '1.36' },
    { version: 'r3', from: '1.20', to: '1.30' }
  ],
  documents: [
    { version: 'r3', from: '1.27', to: '1.36' },
    { version: 'r2', from: '1.20', to: '1.31' }
  ],
  manager: [{ version: 'r2', from: '1.24', to: '1.36' }]
};
for (const [id, image] of Object.entries(operatorImages) as [keyof typeof operatorImages, string][])
  cards[image] = {
    sizeBytes: 140 * mib,
    drawMs: [8_000, 25_000],
    normalMs: [10_000, 60_000],
    ports: [7230],
    versions: operatorVersions[id]
  };

/** Host and path of an image reference without tag and digest. */
export function imageParts(image: string): { host: string; repository: string } {
  const bare = image.replace(/@.*$/, '').replace(/:[^/:]*$/, '');
  const slash = bare.indexOf('/');
  const first = slash < 0 ? '' : bare.slice(0, slash);
  const host = first.includes('.') || first.includes(':') ? first : '';
  return { host, repository: bare };
}

/** The path of an image at its registry, without tag and digest. */
function pathIn(image: string): string {
  const { host, repository } = imageParts(image);
  return host ? repository.slice(host.length + 1) : repository;
}

const known = new Map<string, ImageCard>();

/** Size of a program that isn't known, in MiB, from and to (made up). */
export const ordinaryMib = [40, 200] as const;

/** What is known of an image; one that isn't on the list is an ordinary program of 40 to 200 MiB that starts in a few seconds. */
export function imageCard(image: string): ImageCard {
  let card = known.get(image);
  if (!card) {
    const { repository } = imageParts(image);
    // The same path at another registry is the same image: whoever mirrors it keeps its path.
    card = cards[repository] ??
      cards[`${shelf}/${pathIn(image)}`] ?? {
        sizeBytes: (ordinaryMib[0] + (hash32(repository) % (ordinaryMib[1] - ordinaryMib[0]))) * mib,
        drawMs: [2_000, 8_000],
        normalMs: [2_000, 20_000]
      };
    if (known.size > 2_000) known.clear();
    known.set(image, card);
  }
  return card;
}

/** The ports at which a container's program listens; undefined where that isn't known. One that shows certificates may take no plain calls. */
export function listensAt({ image, env = [] }: Container): readonly number[] | undefined {
  const { ports, tlsAlone } = imageCard(image);
  const shows = tlsAlone === true && env.some(({ name, value }) => name === 'TLS' && value === 'on');
  return shows ? ports?.slice(1) : ports;
}

/** Whether anything is known of an image; of others size and times are supposed. */
export const isKnownImage = (image: string): boolean =>
  cards[imageParts(image).repository] !== undefined || cards[`${shelf}/${pathIn(image)}`] !== undefined;

const parts = new WeakMap<object, DriverPart | null>();

/** The driver part that a pod is, by its first container that is one. */
export function driverPartOf(spec: PodSpec): DriverPart | undefined {
  let part = parts.get(spec.containers);
  if (part === undefined) {
    part = spec.containers.map((one) => imageCard(one.image).driverPart).find((one) => one) ?? null;
    parts.set(spec.containers, part);
  }
  return part ?? undefined;
}

const engineParts = new WeakMap<object, EnginePart | null>();

/** A pod, or a template of pods. */
export interface PodLike {
  readonly metadata?: { readonly annotations?: Readonly<Record<string, string>> | undefined } | undefined;
  readonly spec: PodSpec;
}

/** The part of an engine that a pod is, by its first container that is one, or that it is supposed to behave like. */
export function enginePartOf({ metadata, spec }: PodLike): EnginePart | undefined {
  let part = engineParts.get(spec.containers);
  if (part === undefined) {
    part = spec.containers.map((one) => imageCard(one.image).enginePart).find((one) => one) ?? null;
    engineParts.set(spec.containers, part);
  }
  return part ?? supposedPart(metadata?.annotations?.[likenessMark]);
}

const supposedParts = new Map<string, EnginePart>(
  Object.entries(engineCards).flatMap(([engine, card]) =>
    card.parts.map(({ part }): [string, EnginePart] => [`${engine}/${part}`, { engine: engine as EngineId, part }])
  )
);
const supposedPart = (mark: string | undefined): EnginePart | undefined => (mark === undefined ? undefined : supposedParts.get(mark));

/** Whether a pod behaves like an engine only because a card supposes so. */
export const isSupposed = (one: PodLike): boolean =>
  !one.spec.containers.some(({ image }) => imageCard(image).enginePart) && enginePartOf(one) !== undefined;

/** Label of all parts of one workload. Source: the cluster API's "Recommended Labels". */
export const partOfLabel = 'app.kubernetes.io/part-of';

/** Says on a workload (invented) what goes when it is taken away: members, claims or all. */
export const takesAlongMark = 'standin.example/takes-along';

interface Marked {
  readonly labels?: Readonly<Record<string, string>> | undefined;
  readonly annotations?: Readonly<Record<string, string>> | undefined;
}

/**
 * The whole that a label says pods are a part of. Elsewhere that is a whole application, with several databases: of a program that is only
 * supposed to be an engine it counts where that engine has several parts.
 */
function wholeOf(metadata: Marked | undefined): string | undefined {
  const supposed = supposedPart(metadata?.annotations?.[likenessMark]);
  if (supposed && engineCards[supposed.engine].parts.length === 1) return undefined;
  return metadata?.labels?.[partOfLabel];
}

/** The workload that a pod belongs to: what its label says, else the set whose ordinal it bears, else its owner. */
export function workloadOf({ metadata }: Pick<Pod, 'metadata'>): string {
  const { name, labels = {} } = metadata;
  const index = labels['apps.kubernetes.io/pod-index'];
  return wholeOf(metadata) ?? (index === undefined ? (makerOf({ metadata })?.name ?? name) : name.slice(0, -index.length - 1));
}

/** The workload that a set's or deployment's pods belong to. */
export const workloadOfTemplate = (one: { metadata: { name: string }; spec: { template: { metadata?: Marked | undefined } } }): string =>
  wholeOf(one.spec.template.metadata) ?? one.metadata.name;

const poolParts = new WeakMap<object, PoolPart | null>();

/** The part of a pool's machinery that a pod is. */
export function poolPartOf(spec: PodSpec): PoolPart | undefined {
  let part = poolParts.get(spec.containers);
  if (part === undefined) {
    part = spec.containers.map((one) => imageCard(one.image).poolPart).find((one) => one) ?? null;
    poolParts.set(spec.containers, part);
  }
  return part ?? undefined;
}

/** The tag of an image reference; '' when it has none. */
export const imageTag = (image: string): string => /:([^/:@]+)(?:@.*)?$/.exec(image)?.[1] ?? '';

/** Images of the engines that ship with the stand-in, each in a version to begin with. */
export const shelfImages = (): string[] => engineImages.map(({ name, version }) => `${shelf}/engines/${name}:${version}`);

/** The image of an engine's part, with the version that is offered. Throws for one that doesn't ship. */
export function engineImage(engine: EngineId, part: string): string {
  const found = engineImages.find((one) => one.engine === engine && one.part === part);
  if (!found) throw new CoreError('engineImage', 'the part must ship with the stand-in', `${engine} ${part}`);
  return `${shelf}/engines/${found.name}:${found.version}`;
}
