import type { Facts } from '../model';
import { clusterVersion, fittingImage, imageVersionFault, pullOf } from '../standin';
import type { Needs } from './needs';
import type { Supposed } from '../supposed';
import type { FitMend, FitSquare } from './types';

/** Whether programs fit the cluster's version, or another version of theirs does. */
export function versionFit(there: Facts, needs: Needs): FitSquare {
  const version = clusterVersion(there);
  const square = (state: FitSquare['state'], says: string, mends: FitMend[] = []): FitSquare => ({
    need: 'version',
    state,
    says,
    ...(mends.length ? { mends } : {})
  });
  const unfit = needs.images.flatMap(({ image, places }) => {
    const fault = imageVersionFault(image, version);
    return fault === undefined ? [] : [{ image, places, fault, better: fittingImage(image, version) }];
  });
  const hopeless = unfit.find((one) => one.better === undefined);
  if (hopeless) return square('broken', hopeless.fault);
  const mends = unfit.map(({ places, better }) => ({ row: 'image', places, value: better! }));
  const tags = [...new Set(mends.map(({ value }) => value.slice(value.lastIndexOf(':') + 1)))];
  return square('holds', mends.length ? `${version}: ${tags.join(', ')} ${tags.length === 1 ? 'fits' : 'fit'}` : version, mends);
}

/** Whether nodes can pull all images, from where they are named or from a registry that is reached. */
export function imagesFit(there: Facts, needs: Needs): FitSquare {
  const square = (state: FitSquare['state'], says: string, more: Partial<FitSquare> = {}): FitSquare => ({
    need: 'images',
    state,
    says,
    ...more
  });
  if (!there.knowsProvider && !there.list('Registry').length) return square('unseen', "what its nodes can pull, an export doesn't tell");
  const mends: FitMend[] = [];
  for (const { image, places } of needs.images) {
    const { fault } = pullOf(there, image);
    if (!fault) continue;
    // The same path in a registry that this place reaches.
    const path = image.slice(image.indexOf('/') + 1);
    const other = there
      .list('Registry')
      .map((one) => `${one.spec.host}/${path}`)
      .find((one) => !pullOf(there, one).fault);
    if (other === undefined) return square('broken', fault.message, { field: fault.field });
    mends.push({ row: 'image', places, value: other });
  }
  if (mends.length) return square('holds', [...new Set(mends.map((one) => one.value))].join(', '), { mends });
  return square('holds', [...new Set(needs.images.map((one) => one.image.split('/')[0]!))].join(', '));
}

/** The same once members are known: what operators write, and whether their logins are taken. */
export function pullsFit(there: Facts, square: FitSquare, by: Supposed): FitSquare {
  const fault = square.state === 'holds' && there.knowsProvider ? by.parts.find((one) => one.pull)?.pull : undefined;
  if (!fault) return square;
  const { mends: _, ...rest } = square;
  return { ...rest, state: 'broken', says: fault.says, ...(fault.field === undefined ? {} : { field: fault.field }) };
}
