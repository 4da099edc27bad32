import type { ApiObject, Container, EngineCardObject, Facts, PodSpec } from '../model';
import { plural, type Choice } from '../shared';
import { engineCards, imageParts, isKnownImage, likenessWords, type EngineId } from '../standin';
import type { SeenTimes } from './times';

/** Nothing is supposed: what a program does with its data stays unseen. */
export const noLikeness = 'nothing known';

/** All that a program can be supposed to behave like. */
export const likenesses: readonly Choice[] = [
  { value: noLikeness, label: 'nothing that is known here' },
  ...(Object.keys(engineCards) as EngineId[]).flatMap((engine) => {
    const parts = engineCards[engine].parts.filter(({ part }) => part !== 'helper');
    return parts.map(({ part }) => ({
      value: `${engine}/${part}`,
      label: parts.length > 1 ? `${likenessWords(engine)}: ${part}` : likenessWords(engine)
    }));
  })
];

/** A program that keeps something in volumes, or stands in a set, and that the stand-in doesn't ship. */
export interface StrangeProgram {
  readonly image: string;
  /** Workloads of which it is a part: kind, namespace and name. */
  readonly of: readonly { readonly kind: string; readonly namespace: string; readonly name: string; readonly members: number }[];
  /** Claims of each member. */
  readonly claims: number;
  readonly ports: readonly number[];
}

/** Whether a container mounts one of these volumes. */
export const mounts = ({ volumeMounts = [] }: Container, names: ReadonlySet<string>): boolean =>
  volumeMounts.some((one) => names.has(one.name));

/** Names of the volumes of a pod that are claims. */
export const claimedVolumes = ({ volumes = [] }: PodSpec): string[] =>
  volumes.filter((one) => one.persistentVolumeClaim ?? one.ephemeral?.volumeClaimTemplate).map((one) => one.name);

/** Containers of a spec that mount claims, or all of them, with how many claims there are. */
function keepers(spec: PodSpec, templates: readonly string[], all: boolean): { image: string; claims: number; ports: number[] }[] {
  const names = new Set([...templates, ...claimedVolumes(spec)]);
  if (!names.size && !all) return [];
  return spec.containers
    .filter((one) => (names.size ? mounts(one, names) : all) && !isKnownImage(one.image))
    .map((one) => ({
      image: imageParts(one.image).repository,
      claims: names.size,
      ports: (one.ports ?? []).map((port) => port.containerPort)
    }));
}

/** Programs of a dump that keep something in volumes or stand in sets, and aren't known, by image. */
export function strangePrograms(facts: Facts): StrangeProgram[] {
  const found = new Map<string, StrangeProgram>();
  for (const kind of ['StatefulSet', 'Deployment', 'DaemonSet'] as const) {
    for (const one of facts.list(kind)) {
      const templates = one.kind === 'StatefulSet' ? (one.spec.volumeClaimTemplates ?? []).map((two) => two.metadata.name) : [];
      const members = one.kind === 'DaemonSet' ? 0 : (one.spec.replicas ?? 1);
      for (const { image, claims, ports } of keepers(one.spec.template.spec, templates, kind === 'StatefulSet')) {
        const before = found.get(image);
        const where = { kind, namespace: one.metadata.namespace ?? '', name: one.metadata.name, members };
        found.set(image, {
          image,
          of: [...(before?.of ?? []), where],
          claims: Math.max(claims, before?.claims ?? 0),
          ports: before?.ports ?? ports
        });
      }
    }
  }
  return [...found.values()].sort((a, b) => (a.image < b.image ? -1 : 1));
}

/** What a program's form makes likely; the names of images say nothing here. Common practice, no source. */
export function proposedFor({ of, claims }: StrangeProgram): string | undefined {
  const sets = of.filter((one) => one.kind === 'StatefulSet');
  if (!sets.length) return undefined;
  const members = Math.max(...sets.map((one) => one.members));
  if (members >= 4 && claims >= 2) return 'object-store/member';
  if (members >= 3 && members % 2 === 1) return 'document-set/member';
  return members === 2 ? 'primary-standby-sql/member' : undefined;
}

/** Why a likeness is asked for, with what the export shows of a program. */
export function likenessWhy(program: StrangeProgram, starts: SeenTimes | undefined): string {
  const { of, claims, ports } = program;
  const where = of
    .slice(0, 3)
    .map((one) => `${one.kind} ${one.namespace}/${one.name}${one.members ? ` with ${plural(one.members, 'member')}` : ''}`)
    .join(', ');
  const seen = starts ? ` Starts took ${starts.fromSeconds} to ${starts.toSeconds} s (${starts.seen} seen).` : '';
  return `${where}${of.length > 3 ? ' …' : ''}: ${plural(claims, 'claim')} a member${ports.length ? `, port ${ports.join(', ')}` : ''}.${seen} Until somebody says what it behaves like, nothing of it can be proved or drilled.`;
}

/** A text as a name, or as a part of one. */
export const nameFrom = (text: string): string => text.replace(/[^a-z0-9.]+/gi, '-').toLowerCase();

/** A name for a card that an image can have. */
export const cardName = (image: string): string =>
  nameFrom(image)
    .slice(-63)
    .replace(/^[^a-z0-9]+|[^a-z0-9]+$/g, '') || 'program';

/** The card that was chosen for an image, with what was seen of its starts and pulls; undefined where there is nothing to say. */
export function engineCardOf(
  image: string,
  likeness: string,
  { starts, pulls }: { readonly starts: SeenTimes | undefined; readonly pulls: SeenTimes | undefined }
): EngineCardObject | undefined {
  const [engine = '', part] = likeness.split('/');
  const known = likenesses.some((one) => one.value === likeness && one.value !== noLikeness);
  if (!known && !starts && !pulls) return undefined;
  return {
    apiVersion: 'standin.example/v1',
    kind: 'EngineCard',
    metadata: { name: cardName(image) },
    spec: {
      image,
      ...(known && part !== undefined ? { behavesAs: { engine, part } } : {}),
      ...(starts ? { starts } : {}),
      ...(pulls ? { pulls } : {})
    }
  };
}

/** The cards among objects that a rehearsal begins with. */
export const cardsAmong = (objects: readonly ApiObject[]): EngineCardObject[] =>
  objects.flatMap((one) => (one.kind === 'EngineCard' ? [one] : []));
