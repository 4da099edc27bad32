import { compareVersions } from './drivers';
import { imageCard, imageTag } from './images';

/** Why an image's version doesn't run on a cluster; undefined where it does, or nothing is known of that version. */
export function imageVersionFault(image: string, cluster: string): string | undefined {
  const tag = imageTag(image);
  const known = imageCard(image).versions?.find((one) => tag === one.version || tag.startsWith(`${one.version}.`));
  if (!known || (compareVersions(cluster, known.from) >= 0 && compareVersions(cluster, known.to) <= 0)) return undefined;
  return `${image} fits clusters from ${known.from} to ${known.to}; this one is ${cluster}`;
}

/** The same image in the newest version that fits a cluster; undefined where none does. */
export function fittingImage(image: string, cluster: string): string | undefined {
  const bare = image.slice(0, image.length - imageTag(image).length);
  const versions = [...(imageCard(image).versions ?? [])].sort((a, b) => compareVersions(b.version, a.version));
  return versions.map((one) => `${bare}${one.version}`).find((one) => !imageVersionFault(one, cluster));
}
