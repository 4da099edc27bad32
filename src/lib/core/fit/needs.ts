import { bytesOf } from '../shared';
import {
  askOf,
  claimsOf,
  defaultClass,
  refOf,
  selectorMatches,
  zoneLabel,
  type ApiObject,
  type Ask,
  type Claim,
  type Facts,
  type PodTemplate,
  type Ref,
  type StorageClass
} from '../model';
import { decidesByMajority, enginePartOf, setFor } from '../standin';
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
  /** What is sent and makes them, or has its operator make them. */
  readonly of: Ref;
  readonly name: string;
  readonly members: number;
  readonly ask: Ask;
  /** What no two of them may share, as their rules say. */
  readonly apart: 'node' | 'zone' | undefined;
  readonly majority: boolean;
  readonly images: readonly string[];
  readonly volumes: number;
}

/** An image that members run. */
export interface ImageNeed {
  readonly image: string;
  readonly places: readonly string[];
}

/** The class of claims that say that they want none: '' stands for the default one. */
export const noClass = '""';

/** What manifests need of a cluster. */
export interface Needs {
  readonly claims: readonly ClaimsNeed[];
  readonly parts: readonly PartNeed[];
  /** Images, with where each is named. */
  readonly images: readonly ImageNeed[];
}

const key = ({ kind, metadata }: ApiObject): string => `${kind} ${metadata.namespace ?? 'default'}/${metadata.name}`;

interface Maker {
  readonly object: ApiObject;
  readonly template: PodTemplate;
  readonly members: number;
  /** Where the pod's spec stands; '' where an operator writes it. */
  readonly at: string;
}

/** How many members a document set has at the most in one cluster, where it is spread over several. */
const mostInOne = (one: ApiObject): number =>
  one.kind === 'DocumentSet' && one.spec.clusters ? Math.max(...one.spec.clusters.map(({ members }) => members)) : Infinity;

function makerOf(object: ApiObject): Maker | undefined {
  const set = setFor(object);
  if (set) return { object, template: set.spec.template, members: Math.min(set.spec.replicas ?? 1, mostInOne(object)), at: '' };
  const at = 'spec.template.spec';
  switch (object.kind) {
    case 'StatefulSet':
    case 'Deployment':
      return { object, template: object.spec.template, members: object.spec.replicas ?? 1, at };
    case 'ReplicaSet':
      return object.spec.template && { object, template: object.spec.template, members: object.spec.replicas ?? 1, at };
    case 'DaemonSet':
      return { object, template: object.spec.template, members: 1, at };
    case 'Job':
      return { object, template: object.spec.template, members: sideBySide(object.spec), at };
    case 'CronJob': {
      const { spec } = object.spec.jobTemplate;
      return { object, template: spec.template, members: sideBySide(spec), at: 'spec.jobTemplate.spec.template.spec' };
    }
    case 'Pod':
      return { object, template: { metadata: object.metadata, spec: object.spec } as PodTemplate, members: 1, at: 'spec' };
    default:
      return undefined;
  }
}

const sideBySide = ({ parallelism = 1, completions = 1 }: { parallelism?: number | undefined; completions?: number | undefined }): number =>
  Math.min(parallelism, completions);

/** What no two members of a template may share: only terms that mean themselves count. */
function apartIn({ metadata, spec }: PodTemplate): 'node' | 'zone' | undefined {
  const keys = (spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? [])
    .filter((one) => selectorMatches(one.labelSelector, metadata?.labels))
    .map((one) => one.topologyKey);
  return keys.includes(zoneLabel) ? 'zone' : keys.includes('kubernetes.io/hostname') ? 'node' : undefined;
}

/** Images that manifests name, with where. */
export function imagesOf(objects: readonly ApiObject[]): ImageNeed[] {
  const images = new Map<string, string[]>();
  for (const object of objects) {
    const maker = makerOf(object);
    if (!maker?.at) continue;
    for (const list of ['initContainers', 'containers'] as const)
      (maker.template.spec[list] ?? []).forEach(({ image }, i) => {
        if (image) images.set(image, [...(images.get(image) ?? []), `${key(object)} ${maker.at}.${list}[${i}].image`]);
      });
  }
  return [...images].map(([image, places]) => ({ image, places }));
}

/** The class that claims name, in the manifests themselves or in the cluster at hand. */
function classNamed(home: Facts, objects: readonly ApiObject[], name: string): StorageClass | undefined {
  const brought = objects.find((one): one is StorageClass => one.kind === 'StorageClass' && one.metadata.name === name);
  if (brought || name !== '') return brought ?? home.get('StorageClass', '', name);
  return defaultClass(home);
}

/**
 * What manifests need of a cluster: of claims what their class must do, not what it is called.
 * @param home the cluster that they were written for
 * @param must what is said otherwise of a class, by its name
 */
export function needsOf(home: Facts, objects: readonly ApiObject[], must: Readonly<Record<string, Must>> = {}): Needs {
  const claims = new Map<string, { many: boolean; sizes: number[]; aMember: number; places: string[] }>();
  const claim = (spec: Claim['spec'], count: number, aMember: number, place: string) => {
    const name = spec.storageClassName === '' ? noClass : (spec.storageClassName ?? '');
    const known = claims.get(name) ?? { many: false, sizes: [], aMember: 0, places: [] };
    known.many ||= spec.accessModes.some((mode) => mode === 'ReadWriteMany' || mode === 'ReadOnlyMany');
    known.sizes.push(...Array<number>(count).fill(bytesOf(spec.resources.requests.storage)));
    known.aMember += aMember;
    if (spec.storageClassName) known.places.push(place);
    claims.set(name, known);
  };
  for (const one of objects) {
    const maker = makerOf(one);
    for (const [i, volume] of (maker?.at ? (maker.template.spec.volumes ?? []) : []).entries()) {
      const own = volume.ephemeral?.volumeClaimTemplate?.spec;
      if (own) claim(own, maker!.members, 1, `${key(one)} ${maker!.at}.volumes[${i}].ephemeral.volumeClaimTemplate.spec.storageClassName`);
    }
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
  const parts = objects.flatMap((object): PartNeed[] => {
    const maker = makerOf(object);
    if (!maker) return [];
    const { template, members, at } = maker;
    const templates = object.kind === 'StatefulSet' ? (object.spec.volumeClaimTemplates ?? []).length : at ? 0 : 1;
    const part = enginePartOf({ metadata: template.metadata, spec: template.spec } as never);
    return [
      {
        of: refOf(object),
        name: object.metadata.name,
        members,
        ask: askOf(template.spec),
        apart: apartIn(template),
        majority: part !== undefined && decidesByMajority(part),
        images: template.spec.containers.flatMap((one) => one.image ?? []),
        volumes: templates + claimsOf(template.spec).length
      }
    ];
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
    images: imagesOf(objects)
  };
}
