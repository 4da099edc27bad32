import { bytesOf } from '../../../../shared';
import type { Container, Facts, Pod } from '../../../../model';
import { clusterVersion } from '../../../provider/drivers';
import { imageCard } from '../../../provider/images';
import { imageVersionFault } from '../../../provider/image-versions';
import { diskLabel } from '../../../provider/pool';
import { fullMount, ownerFault } from './mounts';

/** The first container that gets less memory than its program needs at its start, in a sentence. */
export function starved(containers: readonly Container[]): string | undefined {
  const hungry = containers.find(({ image, resources }) => {
    const limit = resources?.limits?.memory;
    return limit !== undefined && bytesOf(limit) < (imageCard(image).leastMemoryBytes ?? 0);
  });
  if (!hungry) return undefined;
  const needMib = Math.round((imageCard(hungry.image).leastMemoryBytes ?? 0) / 2 ** 20);
  return `${hungry.name} was killed at its start: it needs ${needMib} MiB of memory and its limit is ${hungry.resources?.limits?.memory}.`;
}

/** The first container that may not run as user 0 and is told to. Source: "Configure a Security Context", runAsNonRoot. */
export function rootFault({ spec }: Pod): string | undefined {
  const whole = spec.securityContext as { runAsUser?: number; runAsNonRoot?: boolean } | undefined;
  return spec.containers.find(({ securityContext }) => {
    const own = securityContext as typeof whole;
    return (own?.runAsNonRoot ?? whole?.runAsNonRoot) === true && (own?.runAsUser ?? whole?.runAsUser) === 0;
  })?.name;
}

/** What a program says at its end whose disk answers no more; undefined where it keeps none, or that answers. */
export function deadDisk(facts: Facts, pod: Pod): string | undefined {
  const name = pod.metadata.labels?.[diskLabel];
  return name !== undefined && facts.get('Disk', '', name)?.spec.dead ? `input/output error: the disk ${name} answers nobody.` : undefined;
}

/** What a program says at its end when its volume is full. */
export const fullSentence = (claim: string): string => `no space left on device: the volume of ${claim} is full.`;

/** Why a pod's programs end at once; undefined when they don't. */
export function startFault(facts: Facts, pod: Pod): string | undefined {
  const hungry = starved(pod.spec.containers);
  if (hungry) return hungry;
  const cluster = clusterVersion(facts);
  const unfit = pod.spec.containers.map((one) => imageVersionFault(one.image, cluster)).find((one) => one);
  if (unfit) return `The program ends at once: ${unfit}.`;
  const owner = ownerFault(facts, pod);
  if (owner)
    return `permission denied: the files of ${owner.claim} belong to user ${owner.owner}, and the program runs as user ${owner.user}.`;
  const full = fullMount(facts, pod);
  return full ? fullSentence(full.claim) : deadDisk(facts, pod);
}
