import { driverSteps, type DriverCardObject, type DriverStep, type EngineCardObject, type Facts, type SeenSpan } from '../model';
import { driverCard, imageParts, isKnownImage } from '../standin';
import { cardName, nameFrom, noLikeness, proposedFor, strangePrograms } from './likeness';

/** A program that keeps something and doesn't ship with the stand-in, or of which times were seen; with what its card supposes. */
export interface SupposedProgram {
  readonly image: string;
  /** Workloads that run it: kind, namespace and name. */
  readonly of: readonly { readonly kind: string; readonly namespace: string; readonly name: string }[];
  /** It ships with the stand-in: what it behaves like is known, and only its times count. */
  readonly ships: boolean;
  /** The card, where there is one. */
  readonly card: string | undefined;
  /** As `engine/part`, or {@link noLikeness}. */
  readonly behavesAs: string;
  /** What its form makes likely, where nothing is supposed. */
  readonly proposed: string | undefined;
  readonly starts: SeenSpan | undefined;
  readonly pulls: SeenSpan | undefined;
}

/** A driver that doesn't ship with the stand-in, or of which times were seen; with what its card supposes. */
export interface SupposedDriver {
  readonly driver: string;
  readonly ships: boolean;
  readonly card: string | undefined;
  readonly classes: readonly string[];
  readonly accessModes: readonly string[] | undefined;
  readonly grows: boolean | undefined;
  readonly snapshots: boolean | undefined;
  readonly times: Readonly<Partial<Record<DriverStep, SeenSpan>>>;
}

/** What of a cluster's programs and drivers is supposed, or could be. */
export interface SupposedHere {
  readonly programs: readonly SupposedProgram[];
  readonly drivers: readonly SupposedDriver[];
}

const likenessOf = (card: EngineCardObject | undefined): string => {
  const { behavesAs } = card?.spec ?? {};
  return behavesAs ? `${behavesAs.engine}${behavesAs.part === undefined ? '' : `/${behavesAs.part}`}` : noLikeness;
};

/** Programs and drivers that don't ship with the stand-in, and whatever a card says something of. Sorted by image and by name. */
export function supposedHere(facts: Facts): SupposedHere {
  const strange = strangePrograms(facts);
  const cards = facts.list('EngineCard');
  const sets = [...facts.list('StatefulSet'), ...facts.list('Deployment'), ...facts.list('DaemonSet')];
  const running = (image: string) =>
    sets
      .filter(({ spec }) => spec.template.spec.containers.some((one) => imageParts(one.image).repository === image))
      .map(({ kind, metadata: { namespace = '', name } }) => ({ kind, namespace, name }));
  const images = [...new Set([...strange.map((one) => one.image), ...cards.map((one) => one.spec.image)])].sort();
  const drivers = new Set([
    ...[...facts.list('CSIDriver').map((one) => one.metadata.name), ...facts.list('StorageClass').map((one) => one.provisioner)].filter(
      (one) => !driverCard(one)
    ),
    ...facts.list('DriverCard').map((one) => one.spec.driver)
  ]);
  return {
    programs: images.map((image) => {
      const card = cards.find((one) => one.spec.image === image);
      const program = strange.find((one) => one.image === image);
      return {
        image,
        of: running(image),
        ships: isKnownImage(image),
        card: card?.metadata.name,
        behavesAs: likenessOf(card),
        proposed: program && likenessOf(card) === noLikeness ? proposedFor(program) : undefined,
        starts: card?.spec.starts,
        pulls: card?.spec.pulls
      };
    }),
    drivers: [...drivers].sort().map((driver) => {
      const card = facts.list('DriverCard').find((one) => one.spec.driver === driver);
      const { accessModes, grows, snapshots, times = {} } = card?.spec ?? {};
      const classes = facts.list('StorageClass').flatMap((one) => (one.provisioner === driver ? [one.metadata.name] : []));
      return {
        driver,
        ships: driverCard(driver) !== undefined,
        card: card?.metadata.name,
        classes: classes.sort(),
        accessModes,
        grows,
        snapshots,
        times
      };
    })
  };
}

/** A name that no other card of the kind bears. */
function freeName(facts: Facts, kind: 'EngineCard' | 'DriverCard', wanted: string): string {
  const taken = new Set<string>(facts.list(kind).map((one) => one.metadata.name));
  let name = wanted;
  for (let nth = 2; taken.has(name); nth += 1) name = `${wanted.slice(0, 58)}-${nth}`;
  return name;
}

/** The card of a program as somebody wants it: what its form doesn't ask for stays as it stands. */
export function programCard(
  facts: Facts,
  image: string,
  {
    behavesAs,
    starts,
    pulls
  }: { readonly behavesAs: string; readonly starts?: SeenSpan | undefined; readonly pulls?: SeenSpan | undefined }
): EngineCardObject {
  const old = facts.list('EngineCard').find((one) => one.spec.image === image);
  const [engine = '', part] = behavesAs.split('/');
  const { starts: _, pulls: __, behavesAs: ___, ...kept } = old?.spec ?? { image };
  return {
    apiVersion: 'standin.example/v1',
    kind: 'EngineCard',
    metadata: { name: old?.metadata.name ?? freeName(facts, 'EngineCard', cardName(image)) },
    spec: {
      ...kept,
      ...(behavesAs === noLikeness ? {} : { behavesAs: { engine, ...(part === undefined ? {} : { part }) } }),
      ...(starts ? { starts } : {}),
      ...(pulls ? { pulls } : {})
    }
  };
}

/** What somebody wants of a driver's card. */
export interface DriverWish {
  readonly accessModes?: DriverCardObject['spec']['accessModes'];
  readonly grows?: boolean | undefined;
  readonly snapshots?: boolean | undefined;
  readonly times?: Partial<Record<DriverStep, SeenSpan>> | undefined;
}

/** The card of a driver as somebody wants it. */
export function driverCardWanted(facts: Facts, driver: string, wanted: DriverWish): DriverCardObject {
  const old = facts.list('DriverCard').find((one) => one.spec.driver === driver);
  const { accessModes: _, grows: __, snapshots: ___, times: ____, ...kept } = old?.spec ?? { driver };
  const times = Object.fromEntries(
    driverSteps.flatMap((step) => {
      const span = wanted.times?.[step];
      return span ? [[step, span] as const] : [];
    })
  );
  const { accessModes, grows, snapshots } = wanted;
  return {
    apiVersion: 'standin.example/v1',
    kind: 'DriverCard',
    metadata: { name: old?.metadata.name ?? freeName(facts, 'DriverCard', nameFrom(driver)) },
    spec: {
      ...kept,
      driver,
      ...(accessModes?.length ? { accessModes } : {}),
      ...(grows === undefined ? {} : { grows }),
      ...(snapshots === undefined ? {} : { snapshots }),
      ...(Object.keys(times).length ? { times } : {})
    }
  };
}
