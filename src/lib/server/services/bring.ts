import { proposeCluster, type Proposal } from '$core/briefs';
import { writeManifests } from '$core/manifest';
import type { App } from './app';
import { done, type Answer } from './answer';

/** How manifests stand with one cluster. */
export interface Fit {
  readonly cluster: string;
  /** Nothing is refused and the checker finds no error. */
  readonly fits: boolean;
  /** What is in the way, worst first. */
  readonly faults: readonly string[];
  /** Objects of the same names that stand there and would be altered. */
  readonly alters: readonly string[];
}

/** What may be done with manifests that somebody brings: where they fit, and a cluster that would have what they ask for. */
export interface Brought {
  readonly objects: number;
  readonly fits: readonly Fit[];
  readonly proposal: { readonly ground: string; readonly name: string; readonly supply: string } & Pick<Proposal, 'says' | 'lacks'>;
}

const mostFaults = 4;

/** Looks manifests over against every stand-in of the estate. Unreadable ones are refused with their places. */
export async function bring(app: App, text: string): Promise<Answer<Brought>> {
  const read = await app.rehearsals.read(text);
  if (!read.ok) return read;
  const clusters = await app.clusters.all();
  const fits: Fit[] = [];
  for (const { name, kind } of clusters) {
    if (kind === 'dump') continue;
    const look = await app.rehearsals.look(name, [{ name: 'brought.yaml', text }], { sheet: true });
    if (!look.ok) continue;
    const { sheet, findings } = look.value;
    const faults = [
      ...(sheet?.refused.map((one) => one.says) ?? []),
      ...findings.filter((one) => one.severity === 'error').map((one) => one.message)
    ];
    const alters = sheet?.altered.map(({ ref }) => `${ref.kind} ${ref.name}`) ?? [];
    fits.push({ cluster: name, fits: faults.length === 0, faults: [...new Set(faults)].slice(0, mostFaults), alters });
  }
  const taken = new Set(clusters.map((one) => one.name));
  let name = 'made-to-fit';
  for (let i = 2; taken.has(name); i += 1) name = `made-to-fit-${i}`;
  const { ground, supply, says, lacks } = proposeCluster(name, read.value);
  return done({
    objects: read.value.length,
    fits: fits.sort((a, b) => Number(b.fits) - Number(a.fits)),
    proposal: { name, ground: writeManifests([ground]), supply: writeManifests(supply), says, lacks }
  });
}
