import { bytesOf } from '../shared';
import { askOf, claimsOf, zoneLabel, type ApiObject, type Ask, type Claim, type Facts, type PodSpec, type StorageClass } from '../model';
import { decidesByMajority, enginePartOf } from '../standin';
import { traitsOf, type ClassTraits } from './classes';

/** What somebody says a class must do, beside what the one that is named does; left out: what that one does. */
export type Must = Partial<Pick<ClassTraits, 'grows' | 'keeps' | 'encrypts'>>;

/** Claims of one class, with what their class must do. */
export interface ClaimsNeed {
  /** The class that they name; '' for the default one. */
  readonly className: string;
  readonly many: boolean;
  /** What the class does where it is known; undefined where neither the manifests nor the cluster at hand tell. */
  readonly traits: ClassTraits | undefined;
  /** Each claim's size, once for each member (bytes). */
  readonly sizes: readonly number[];
  /** So many of them a member mounts. */
  readonly aMember: number;
  /** Where the class is named: `Kind namespace/name path`. */
  readonly places: readonly string[];
}

/** Members that a workload runs. */
export interface PartNeed {
  readonly name: string;
  readonly members: number;
  readonly ask: Ask;
  /** What no two of them may share, as their rules say. */
  readonly apart: 'node' | 'zone' | undefined;
  readonly majority: boolean;
  readonly images: readonly string[];
  readonly volumes: number;
}

/** What manifests need of a cluster. */
export interface Needs {
  readonly claims: readonly ClaimsNeed[];
  readonly parts: readonly PartNeed[];
  /** Where an image is named. */
  readonly images: readonly { readonly image: string; readonly places: readonly string[] }[];
}

const key = ({ kind, metadata }: ApiObject): string => `${kind} ${metadata.namespace ?? 'default'}/${metadata.name}`;

interface Maker {
  readonly object: ApiObject;
  readonly spec: PodSpec;
  readonly members: number;
  readonly at: string;
}

function makersOf(objects: readonly ApiObject[]): Maker[] {
  return objects.flatMap((object): Maker[] => {
    if (object.kind === 'StatefulSet' || object.kind === 'Deployment')
      return [{ object, spec: object.spec.template.spec, members: object.spec.replicas ?? 1, at: 'spec.template.spec' }];
    if (object.kind === 'Pod') return [{ object, spec: object.spec, members: 1, at: 'spec' }];
    if (object.kind === 'DocumentSet' && !object.spec.clusters) {
      const { cpu, memory, members } = object.spec;
      const spec = { containers: [{ name: 'node', resources: { requests: { cpu, memory } } }] } as unknown as PodSpec;
      return [{ object, spec, members, at: '' }];
    }
    return [];
  });
}

function apartIn(spec: PodSpec): 'node' | 'zone' | undefined {
  const keys = (spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []).map((one) => one.topologyKey);
  return keys.includes(zoneLabel) ? 'zone' : keys.includes('kubernetes.io/hostname') ? 'node' : undefined;
}

/** The class that claims name, in the manifests themselves or in the cluster at hand. */
function classNamed(home: Facts, objects: readonly ApiObject[], name: string): StorageClass | undefined {
  const brought = objects.find((one): one is StorageClass => one.kind === 'StorageClass' && one.metadata.name === name);
  if (brought || name !== '') return brought ?? home.get('StorageClass', '', name);
  return home.list('StorageClass').find((one) => one.metadata.annotations?.['storageclass.kubernetes.io/is-default-class'] === 'true');
}

/**
 * What manifests need of a cluster: of claims what their class must do, not what it is called.
 * @param home the cluster that they were written for
 * @param must what is said otherwise of a class, by its name
 */
export function needsOf(home: Facts, objects: readonly ApiObject[], must: Readonly<Record<string, Must>> = {}): Needs {
  const claims = new Map<string, { many: boolean; sizes: number[]; aMember: number; places: string[] }>();
  const claim = (spec: Claim['spec'], count: number, aMember: number, place: string) => {
    const name = spec.storageClassName ?? '';
    const known = claims.get(name) ?? { many: false, sizes: [], aMember: 0, places: [] };
    known.many ||= spec.accessModes.some((mode) => mode === 'ReadWriteMany' || mode === 'ReadOnlyMany');
    known.sizes.push(...Array<number>(count).fill(bytesOf(spec.resources.requests.storage)));
    known.aMember += aMember;
    if (spec.storageClassName) known.places.push(place);
    claims.set(name, known);
  };
  for (const one of objects) {
    if (one.kind === 'StatefulSet')
      (one.spec.volumeClaimTemplates ?? []).forEach((template, i) =>
        claim(template.spec, one.spec.replicas ?? 1, 1, `${key(one)} spec.volumeClaimTemplates[${i}].spec.storageClassName`)
      );
    if (one.kind === 'PersistentVolumeClaim') claim(one.spec, 1, 0, `${key(one)} spec.storageClassName`);
    if ((one.kind === 'DocumentSet' && !one.spec.clusters) || one.kind === 'MemoryCluster') {
      const { size, storageClassName } = one.spec.volume;
      const spec = { accessModes: ['ReadWriteOnce'], storageClassName, resources: { requests: { storage: size } } } as Claim['spec'];
      claim(spec, one.kind === 'MemoryCluster' ? one.spec.nodes : one.spec.members, 1, `${key(one)} spec.volume.storageClassName`);
    }
  }
  const images = new Map<string, string[]>();
  const parts = makersOf(objects).map(({ object, spec, members, at }): PartNeed => {
    spec.containers.forEach((one, i) => {
      if (at && one.image) images.set(one.image, [...(images.get(one.image) ?? []), `${key(object)} ${at}.containers[${i}].image`]);
    });
    const templates =
      object.kind === 'StatefulSet' ? (object.spec.volumeClaimTemplates ?? []).length : object.kind === 'DocumentSet' ? 1 : 0;
    const part = at ? enginePartOf({ spec } as never) : undefined;
    return {
      name: object.metadata.name,
      members,
      ask: askOf(spec),
      apart: object.kind === 'DocumentSet' ? 'node' : apartIn(spec),
      majority: object.kind === 'DocumentSet' || (part !== undefined && decidesByMajority(part)),
      images: spec.containers.flatMap((one) => one.image ?? []),
      volumes: templates + claimsOf(spec).length
    };
  });
  return {
    claims: [...claims].map(([className, { many, sizes, aMember, places }]) => {
      const found = classNamed(home, objects, className);
      const known = found && traitsOf(home, found);
      const said = must[className];
      return {
        className,
        many,
        sizes,
        aMember,
        places,
        traits: known
          ? { ...known, many: many || known.many, ...said }
          : said && { many, grows: false, keeps: false, encrypts: false, ...said }
      };
    }),
    parts,
    images: [...images].map(([image, places]) => ({ image, places }))
  };
}
