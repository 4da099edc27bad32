import { hash32, type Problem } from '$core/shared';
import { readWritten, writeManifests } from '$core/manifest';
import { groundSchema, type ApiObject, type Ground } from '$core/model';
import { groundObjects, layoutFaults, namesIn, type LayoutFault } from '$core/standin';
import type { clusterRepository, Flag } from '../repositories/clusters';
import type { RehearsalRepository } from '../repositories/rehearsals';
import { scenario } from '../../scenario';
import { trunkOf, type AddCluster } from '../repositories/new-cluster';
import { done, notFound, refusalOf, refused, type Answer } from './answer';

/** What an estate's cluster would be made of. */
export interface LayoutCheck {
  readonly faults: readonly LayoutFault[];
  readonly nodes: number;
  readonly zones: number;
  readonly objects: number;
  /** The document as it is kept; empty where it can't be understood whole. */
  readonly yaml: string;
  /** Why it can't, with places. */
  readonly problems?: readonly Problem[];
}

const weaves: readonly Flag['weave'][] = ['twill', 'stripe', 'check', 'dots'];
/** Flags of clusters that are laid out: apart from each other by the golden angle, so that hues don't come near. */
export const flagOf = (place: number): Flag => ({ hue: Math.round((20 + place * 137.5) % 360), weave: weaves[place % weaves.length]! });

/** Longest ground document that is read on the spot: some thousand groups of nodes. */
const mostText = 256 * 1024;

/** Notes of clusters that came with the demo differ from this one; only those laid out here can be taken away. */
const laidOut = 'laid out here';

/** A ground as text, its fields always in the same order, so that versions of it can be compared line by line. */
const documentOf = (ground: ApiObject): string => writeManifests([groundSchema.parse(ground)]);

/** Clusters made from a ground document. */
export class LayoutService {
  constructor(
    private readonly clusters: ReturnType<typeof clusterRepository>,
    private readonly rehearsals: RehearsalRepository,
    private readonly addCluster: AddCluster
  ) {}

  /** Looks a layout over: what is wrong with it, and what it would come to. */
  async check(ground: Ground): Promise<LayoutCheck> {
    const faults = layoutFaults(ground);
    const { groups = [] } = ground.spec;
    const taken = (await this.clusters.find(ground.metadata.name)) !== undefined;
    const all = taken
      ? [...faults, { field: 'name', message: `There is a cluster ${ground.metadata.name} already`, remedy: 'Choose another name.' }]
      : faults;
    return {
      faults: all,
      nodes: groups.flatMap(namesIn).length,
      zones: new Set(groups.map((one) => one.zone)).size,
      objects: faults.length ? 0 : groundObjects(ground).length,
      yaml: documentOf(ground)
    };
  }

  /**
   * What is wrong with a ground document that its schema refuses: the schema's own faults, and what the layout's rules say of the rest.
   * Undefined where it is no ground document, or too little of it can be understood.
   */
  refusedCheck(text: string): LayoutCheck | undefined {
    if (text.length > mostText) return undefined;
    const { objects, problems, rough = [] } = readWritten([{ text }]);
    const ground = rough[0]?.object;
    if (objects.length || rough.length !== 1 || ground?.kind !== 'Ground') return undefined;
    const refused = problems.map(({ at, message, remedy }) => ({
      field: (at.field ?? '').replace(/^(spec|metadata)\./, '').replaceAll(/\[(\d+)\]/g, '.$1'),
      message: message.replace(/^spec\./, '').replace(/\.$/, ''),
      remedy
    }));
    const said = new Set(refused.map((one) => one.field));
    return {
      faults: [...refused, ...layoutFaults(ground).filter((one) => !said.has(one.field))],
      nodes: 0,
      zones: 0,
      objects: 0,
      yaml: '',
      problems: problems.map(({ code, message, remedy, at }) => ({ code, message, remedy, at }))
    };
  }

  /** Makes a cluster and its trunk; refused with every fault while there is one. */
  async make(ground: Ground): Promise<Answer<{ id: string }>> {
    const { faults } = await this.check(ground);
    if (faults.length)
      return refused(
        refusalOf(
          faults.map(({ field, message, remedy }) => ({
            code: 'bad-layout',
            message: `${message}.`,
            remedy,
            at: { field: `spec.${field}` }
          }))
        )
      );
    const { name } = ground.metadata;
    const flag = flagOf((await this.clusters.all()).length);
    await this.addCluster({ name, note: laidOut, seed: hash32(name) % 100_000, flag, ground: groundObjects(ground) }, [
      { rehearsal: trunkOf(name, 0), actions: [] }
    ]);
    return done({ id: name });
  }

  /** The ground document of a cluster, as it was laid out. */
  async document(name: string): Promise<Answer<{ yaml: string }>> {
    const cluster = await this.clusters.find(name);
    const ground = cluster?.ground.find((one) => one.kind === 'Ground');
    return ground ? done({ yaml: documentOf(ground) }) : refused(notFound(`The cluster ${name}`, 'GET /api/v1/clusters lists them.'));
  }

  /** Takes a cluster away that didn't come with the demo, or can't be stood up, with its rehearsals; gives their ids. */
  async remove(name: string, broken = false): Promise<Answer<{ rehearsals: string[] }>> {
    const cluster = await this.clusters.head(name);
    if (!cluster) return refused(notFound(`The cluster ${name}`));
    // One of the demo's that can't be stood up is of no use to anybody.
    if (!broken && scenario().some((one) => one.name === name && one.note === cluster.note))
      return refused({
        code: 'cluster-stays',
        status: 409,
        title: 'This cluster stays',
        detail: `${name} came with the demo.`,
        remedy: 'Only clusters that were laid out, read or taken in here can be taken away.'
      });
    const mine = (await this.rehearsals.all()).filter((one) => one.cluster === name).map((one) => one.id);
    await this.clusters.remove(name);
    return done({ rehearsals: mine });
  }
}
