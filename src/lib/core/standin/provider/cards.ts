import {
  likenessMark,
  type ApiObject,
  type DriverCardObject,
  type DriverStep,
  type EngineCardObject,
  type Facts,
  type PodSpec,
  type SeenSpan
} from '../../model';
import { engineCards, type EngineCard, type EngineId, type EnginePartCard } from '../cards/engines';
import type { SpanMs } from '../clock/steps';
import { driverCard, type DriverCard } from './drivers';
import { imageCard, imageParts, type PodLike } from './images';

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

interface CardFault {
  readonly field: string;
  readonly message: string;
  readonly remedy: string;
}
const fault = (field: string, message: string, remedy: string): CardFault => ({ field, message, remedy });
const oneOf = (names: readonly string[]): string => `Write one of ${names.join(', ')}.`;

const spanFault = (field: string, span: SeenSpan | undefined): CardFault | undefined =>
  span && span.toSeconds < span.fromSeconds
    ? fault(`${field}.toSeconds`, 'is less than fromSeconds', 'Write the longer one here.')
    : undefined;

function likenessFault({ behavesAs, settings, image }: EngineCardObject['spec']): CardFault | undefined {
  if (!behavesAs)
    return settings
      ? fault('spec.settings', 'has no meaning where nothing says what the program behaves like', 'Write behavesAs, or leave it out.')
      : undefined;
  if (imageCard(image).enginePart)
    return fault(
      'spec.behavesAs',
      `${image} ships with the stand-in: what it behaves like has not to be supposed`,
      'Leave it out; times may stay.'
    );
  const known = parts(behavesAs.engine)?.map(({ part }) => part);
  if (!known) return fault('spec.behavesAs.engine', `there is no engine ${behavesAs.engine}`, oneOf(Object.keys(engineCards)));
  if (behavesAs.part === undefined)
    return known.length > 1 ? fault('spec.behavesAs.part', `${behavesAs.engine} has several parts`, oneOf(known)) : undefined;
  return known.includes(behavesAs.part)
    ? undefined
    : fault('spec.behavesAs.part', `${behavesAs.engine} has no part ${behavesAs.part}`, oneOf(known));
}

/** Why a card can't count here, with the field; undefined where it can, and for what is no card. */
export function cardFault(object: ApiObject, facts: Source): CardFault | undefined {
  const others = (kind: 'EngineCard' | 'DriverCard', of: (one: ApiObject) => string): ApiObject | undefined =>
    (facts.list(kind) as ApiObject[]).find((one) => one.metadata.name !== object.metadata.name && of(one) === of(object));
  if (object.kind === 'EngineCard') {
    const { image, starts, pulls } = object.spec;
    if (/@|:[^/]*$/.test(image))
      return fault('spec.image', `${image} names a tag or a digest; a card means all of them`, 'Write host and path only.');
    const other = others('EngineCard', (one) => (one as EngineCardObject).spec.image);
    if (other) return fault('spec.image', `${image} has a card already, ${other.metadata.name}`, 'Change that one.');
    return spanFault('spec.starts', starts) ?? spanFault('spec.pulls', pulls) ?? likenessFault(object.spec);
  }
  if (object.kind !== 'DriverCard') return undefined;
  const { driver, times = {}, accessModes, grows, snapshots } = object.spec;
  const other = others('DriverCard', (one) => (one as DriverCardObject).spec.driver);
  if (other) return fault('spec.driver', `${driver} has a card already, ${other.metadata.name}`, 'Change that one.');
  if (driverCard(driver) && (accessModes ?? grows ?? snapshots) !== undefined)
    return fault(
      'spec.driver',
      `${driver} ships with the stand-in: what it can has not to be supposed`,
      'Leave accessModes, grows and snapshots out; times may stay.'
    );
  for (const [step, span] of Object.entries(times)) {
    const wrong = spanFault(`spec.times.${step}`, span);
    if (wrong) return wrong;
  }
  return undefined;
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

/** How long pulls of an image took where they were seen; undefined where nobody says. */
export function pullsSeen(facts: Source, image: string): SeenMs | undefined {
  const cards = facts.list('EngineCard');
  const pulls = cards.length ? cards.find((one) => one.spec.image === imageParts(image).repository)?.spec.pulls : undefined;
  return pulls && seenMs(pulls);
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
