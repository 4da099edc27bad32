import type { ApiObject, DriverCardObject, DriverStep, EngineCardObject, Facts, PodSpec, SeenSpan } from '../../model';
import { engineCards, type EngineCard, type EngineId, type EnginePartCard } from '../cards/engines';
import type { SpanMs } from '../clock/steps';
import { driverCard, type DriverCard } from './drivers';
import { imageCard, imageParts, likenessMark, type PodLike } from './images';

type Source = Pick<Facts, 'list'>;

/** What somebody says who supposes that a program behaves like an engine. */
export const likenessWords = (engine: EngineId): string =>
  (engineCards[engine] as EngineCard).likeness ?? `a ${engine.replaceAll('-', ' ')}`;

/**
 * What somebody supposes of the program of a pod's containers, or saw of its times: of the cards that mean their images the one with a
 * likeness, else the first.
 */
export function cardFor(cards: readonly EngineCardObject[], { containers }: PodSpec): EngineCardObject | undefined {
  if (!cards.length) return undefined;
  const mine = containers.flatMap(({ image }) => cards.find((one) => one.spec.image === imageParts(image).repository) ?? []);
  return mine.find((one) => one.spec.behavesAs) ?? mine[0];
}

const parts = (engine: string): readonly EnginePartCard[] | undefined => engineCards[engine as EngineId]?.parts;

/** Why a card means nothing here, with the field; undefined where it does. */
export function cardFault(object: ApiObject): { field: string; message: string; remedy: string } | undefined {
  if (object.kind !== 'EngineCard') return undefined;
  const { image, behavesAs, starts } = object.spec;
  if (behavesAs && imageCard(image).enginePart)
    return {
      field: 'spec.behavesAs',
      message: `${image} ships with the stand-in: what it behaves like has not to be supposed`,
      remedy: 'Leave it out; times may stay.'
    };
  if (/@|:[^/]*$/.test(image))
    return {
      field: 'spec.image',
      message: `${image} names a tag or a digest; a card means all of them`,
      remedy: 'Write host and path only.'
    };
  if (starts && starts.toSeconds < starts.fromSeconds)
    return { field: 'spec.starts.toSeconds', message: 'is less than fromSeconds', remedy: 'Write the longer one here.' };
  if (!behavesAs) return undefined;
  const known = parts(behavesAs.engine);
  if (!known)
    return {
      field: 'spec.behavesAs.engine',
      message: `there is no engine ${behavesAs.engine}`,
      remedy: `Write one of ${Object.keys(engineCards).join(', ')}.`
    };
  return behavesAs.part === undefined || known.some(({ part }) => part === behavesAs.part)
    ? undefined
    : {
        field: 'spec.behavesAs.part',
        message: `${behavesAs.engine} has no part ${behavesAs.part}`,
        remedy: `Write one of ${known.map(({ part }) => part).join(', ')}.`
      };
}

/** What a card's likeness is written as on pods; undefined where it has none that is known. */
function markOf({ spec: { behavesAs } }: EngineCardObject): string | undefined {
  const known = behavesAs && parts(behavesAs.engine);
  return known && `${behavesAs.engine}/${behavesAs.part ?? known[0]!.part}`;
}

function marked<T extends PodLike>(one: T, cards: readonly EngineCardObject[]): T {
  const card = cardFor(cards, one.spec);
  const mark = card && markOf(card);
  if (mark === undefined || one.metadata?.annotations?.[likenessMark] === mark) return one;
  return { ...one, metadata: { ...one.metadata, annotations: { ...one.metadata?.annotations, [likenessMark]: mark } } };
}

/** An object whose pods bear what cards suppose of their programs. */
export function withLikeness<T extends ApiObject>(object: T, cards: readonly EngineCardObject[]): T {
  if (!cards.length) return object;
  switch (object.kind) {
    case 'Pod':
      return marked(object as T & PodLike, cards);
    case 'StatefulSet':
    case 'Deployment':
    case 'DaemonSet':
    case 'ReplicaSet':
      if (!object.spec.template) return object;
      return { ...object, spec: { ...object.spec, template: marked(object.spec.template as PodLike, cards) } } as T;
    default:
      return object;
  }
}

/** How long something takes: what is drawn from, and what is normal. */
export interface SeenMs {
  readonly drawMs: SpanMs;
  readonly normalMs: SpanMs;
}

/** Up to twice the longest that was seen is normal (made up). */
const lateAfter = 2;

const seenMs = ({ fromSeconds, toSeconds }: SeenSpan): SeenMs => {
  const [from, to] = [fromSeconds * 1_000, Math.max(fromSeconds, toSeconds) * 1_000];
  return { drawMs: [from, to], normalMs: [from, Math.max(1_000, to * lateAfter)] };
};

/** How long starts of a pod's program took where they were seen; undefined where nobody says. */
export function startsSeen(facts: Source, spec: PodSpec): SeenMs | undefined {
  const starts = cardFor(facts.list('EngineCard'), spec)?.spec.starts;
  return starts && seenMs(starts);
}

const driverCardIn = (facts: Source, driver: string): DriverCardObject['spec'] | undefined =>
  facts.list('DriverCard').find((one) => one.spec.driver === driver)?.spec;

/** How long a driver's calls of a kind took where they were seen; undefined where nobody says. */
export function callsSeen(facts: Source, driver: string, step: DriverStep): SeenMs | undefined {
  const seen = driverCardIn(facts, driver)?.times?.[step];
  return seen && seenMs(seen);
}

/** What is known of a driver: what ships with the stand-in, else what a card supposes. */
export interface DriverTraits {
  /** It ships with the stand-in; else a card supposes the rest. */
  readonly shipped: boolean;
  /** Undefined: any. */
  readonly modes: readonly string[] | undefined;
  readonly grows: DriverCard['grows'];
  /** Undefined: it does where a class for them stands. */
  readonly snapshots: boolean | undefined;
}

/** The traits of a driver; undefined where nothing at all is known or supposed of it. */
export function driverTraits(facts: Source, driver: string): DriverTraits | undefined {
  const shipped = driverCard(driver);
  if (shipped) return { shipped: true, modes: shipped.modes, grows: shipped.grows, snapshots: shipped.snapshots };
  const card = driverCardIn(facts, driver);
  return card && { shipped: false, modes: card.accessModes, grows: card.grows === false ? 'never' : 'online', snapshots: card.snapshots };
}
