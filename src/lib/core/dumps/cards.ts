import { namesListed } from '../shared';
import { driverSteps, type ApiObject, type Facts } from '../model';
import { driverCard } from '../standin';
import type { Assumption, DriverSeen } from './assumption';
import { engineCardOf, likenesses, likenessWhy, nameFrom, noLikeness, proposedFor, strangePrograms } from './likeness';
import { driverStepWords, type OwnTimes, type SeenTimes } from './times';

const accessModes = ['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod'] as const;
type AccessMode = (typeof accessModes)[number];

/** What a driver that isn't known can, as classes, volumes and snapshots of the export show it. */
export function driverTraitsSupposed(facts: Facts, { driver }: DriverSeen): Assumption[] {
  const handedOut = new Set(facts.list('PersistentVolume').flatMap((one) => (one.spec.csi?.driver === driver ? one.spec.accessModes : [])));
  const classes = facts.list('StorageClass').filter((one) => one.provisioner === driver);
  const growing = classes.filter((one) => one.allowVolumeExpansion === true);
  const snapshotClasses = facts.list('VolumeSnapshotClass').filter((one) => one.driver === driver);
  const named = (list: readonly ApiObject[]) => list.map((one) => one.metadata.name).join(', ');
  return [
    {
      id: `modes:${driver}`,
      kind: 'several',
      choices: accessModes.map((value) => ({ value, label: value })),
      says: `${driver} hands out …`,
      why: handedOut.size
        ? `Volumes of it are ${[...handedOut].sort().join(', ')}; what else it can isn't in an export.`
        : 'No volume of it is in the export.',
      value: (handedOut.size ? accessModes.filter((one) => handedOut.has(one)) : ['ReadWriteOnce']).join(', ')
    },
    {
      id: `grows:${driver}`,
      kind: 'yes-no',
      says: `Volumes of ${driver} can grow: …`,
      why: growing.length
        ? `${named(growing)} ${growing.length === 1 ? 'lets' : 'let'} claims grow (allowVolumeExpansion).`
        : `${classes.length ? `${named(classes)}: no allowVolumeExpansion` : 'No class of it is in the export'}; whether the driver itself could isn't shown.`,
      value: growing.length ? 'yes' : 'no'
    },
    {
      id: `snapshots:${driver}`,
      kind: 'yes-no',
      says: `${driver} takes snapshots: …`,
      why: snapshotClasses.length
        ? `${named(snapshotClasses)} ${snapshotClasses.length === 1 ? 'is a class' : 'are classes'} for them.`
        : 'No class for snapshots names it.',
      value: snapshotClasses.length ? 'yes' : 'no'
    }
  ];
}

/** What is supposed of programs that keep something and aren't known, and whether the cluster's own times count. */
export function programAssumptions(facts: Facts, times: OwnTimes): Assumption[] {
  const programs = strangePrograms(facts);
  const told = timesTold(times);
  return [
    ...programs.map((one): Assumption => {
      const proposed = proposedFor(one);
      return {
        id: `like:${one.image}`,
        kind: 'choice',
        choices: likenesses,
        says: `${one.image} behaves like …`,
        why: likenessWhy(one, times.starts.get(one.image)),
        value: noLikeness,
        ...(proposed === undefined ? {} : { proposed })
      };
    }),
    ...(told.length
      ? [
          {
            id: 'times',
            kind: 'yes-no' as const,
            says: "The cluster's own times count, instead of common practice: …",
            why: `As the export shows: ${told.slice(0, 4).join('; ')}${told.length > 4 ? `; and ${told.length - 4} more` : ''}. Up to twice the longest that was seen is normal.`,
            value: 'yes'
          }
        ]
      : [])
  ];
}

function timesTold(times: OwnTimes): string[] {
  const told = (what: string, all: ReadonlyMap<string, SeenTimes>) =>
    [...all].map(([key, { fromSeconds, toSeconds, seen }]) => `${what} ${key} took ${fromSeconds} to ${toSeconds} s (${seen} seen)`);
  return [
    ...driverSteps.flatMap((step) => told(driverStepWords[step], times[step])),
    ...told('starts of', times.starts),
    ...told('pulls of', times.pulls)
  ];
}

/** Cards of what is supposed of programs and drivers, and of what was seen of their times. */
export function cardsOfDump(
  facts: Facts,
  value: (id: string) => string,
  times: OwnTimes | undefined,
  seen: readonly DriverSeen[]
): ApiObject[] {
  const images = new Set([
    ...strangePrograms(facts).map((one) => one.image),
    ...(times?.starts.keys() ?? []),
    ...(times?.pulls.keys() ?? [])
  ]);
  const programs = [...images]
    .sort()
    .flatMap(
      (image) => engineCardOf(image, value(`like:${image}`), { starts: times?.starts.get(image), pulls: times?.pulls.get(image) }) ?? []
    );
  const drivers = seen.flatMap(({ driver }): ApiObject[] => {
    const modes = namesListed(value(`modes:${driver}`)).filter((one): one is AccessMode =>
      (accessModes as readonly string[]).includes(one)
    );
    const seenTimes = Object.fromEntries(
      driverSteps.flatMap((step) => {
        const one = times?.[step].get(driver);
        return one ? [[step, one] as const] : [];
      })
    );
    const timed = Object.keys(seenTimes).length > 0;
    const strange = driverCard(driver) === undefined;
    if (!strange && !timed) return [];
    return [
      {
        apiVersion: 'standin.example/v1',
        kind: 'DriverCard',
        metadata: { name: nameFrom(driver) },
        spec: {
          driver,
          ...(strange
            ? {
                ...(modes.length ? { accessModes: modes } : {}),
                grows: value(`grows:${driver}`) === 'yes',
                snapshots: value(`snapshots:${driver}`) === 'yes'
              }
            : {}),
          ...(timed ? { times: seenTimes } : {})
        }
      }
    ];
  });
  return [...uniqueNames(programs), ...drivers];
}

/** Images whose names come out alike get a number. */
function uniqueNames<T extends ApiObject>(cards: readonly T[]): T[] {
  const taken = new Map<string, number>();
  return cards.map((one) => {
    const nth = (taken.get(one.metadata.name) ?? 0) + 1;
    taken.set(one.metadata.name, nth);
    return nth === 1 ? one : { ...one, metadata: { ...one.metadata, name: `${one.metadata.name.slice(0, 58)}-${nth}` } };
  });
}
