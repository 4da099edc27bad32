import { bytesOf, isQuantity, rangeFault } from '../shared';
import { bounds, type ApiObject } from '../model';
import { validate, type FieldFault as Fault } from '../validation';

type Path = Fault['field'];

const many = (most: number) => most.toLocaleString('en');

function over(field: Path, value: number | undefined, most: number, what: string): Fault[] {
  if (value === undefined || value <= most) return [];
  return [
    {
      field,
      code: 'bad-value',
      message: `${what} of ${many(value)} is more than this program can bear; ${many(most)} is its limit.`,
      remedy: `Ask for ${many(most)} or less: what goes wrong with so many shows with fewer, too.`
    }
  ];
}

function badRange(field: Path, text: string | undefined): Fault[] {
  const fault = text === undefined ? undefined : rangeFault(text);
  if (fault === undefined) return [];
  return [
    {
      field,
      code: 'bad-value',
      message: `"${text!.slice(0, 60)}" ${fault}; the stand-in hands out IPv4 addresses only.`,
      remedy: 'Write first address and mask, e.g. 10.61.4.0/24.'
    }
  ];
}

/** Quantities anywhere below a value, with their places: fields that are called so. */
const sized = new Set(['storage', 'size', 'memory', 'cpu', 'capacity', 'leastSize', 'mostSize', 'leastDisk']);
function tooMuch(value: unknown, field: Path, found: Fault[]): void {
  if (typeof value !== 'object' || value === null || found.length > 20) return;
  for (const [key, inner] of Object.entries(value)) {
    const at = [...field, Array.isArray(value) ? Number(key) : key];
    if (sized.has(key) && (typeof inner === 'string' || typeof inner === 'number')) {
      if (isQuantity(String(inner)) && !(bytesOf(inner) <= bounds.bytes))
        found.push(...over(at, bytesOf(inner), bounds.bytes, 'A quantity'));
    } else if (Array.isArray(inner) && inner.length > bounds.entries) {
      if (!['data', 'subsets'].includes(key)) found.push(...over(at, inner.length, bounds.entries, 'A list'));
    } else tooMuch(inner, at, found);
  }
}

function countFaults(object: ApiObject): Fault[] {
  switch (object.kind) {
    case 'StatefulSet':
      return [
        ...over(['spec', 'replicas'], object.spec.replicas, bounds.members, 'A number of members'),
        ...over(['spec', 'ordinals', 'start'], object.spec.ordinals?.start, bounds.ordinal, 'A first ordinal')
      ];
    case 'Deployment':
      return over(['spec', 'replicas'], object.spec.replicas, bounds.members, 'A number of pods');
    case 'Job': {
      const { completions, backoffLimit, parallelism } = object.spec as {
        completions?: number;
        backoffLimit?: number;
        parallelism?: number;
      };
      return [
        ...over(['spec', 'completions'], completions, bounds.jobPods, 'A number of completions'),
        ...over(['spec', 'backoffLimit'], backoffLimit, bounds.jobPods, 'A number of tries'),
        ...(typeof parallelism === 'number'
          ? over(['spec', 'parallelism'], parallelism, bounds.jobPods, 'A number of pods side by side')
          : [])
      ];
    }
    case 'Backend':
      return [
        ...over(['spec', 'quotaVolumes'], object.spec.quotaVolumes, bounds.volumes, 'A quota of volumes'),
        ...(object.spec.letIn ?? []).flatMap((one, i) => badRange(['spec', 'letIn', i, 'from'], one.from))
      ];
    case 'Node':
      return badRange(['spec', 'podCIDR'], object.spec?.podCIDR);
    case 'Ground':
      return (object.spec.groups ?? []).reduce((sum, one) => sum + (one.names?.length ?? one.count ?? 1), 0) > bounds.nodes
        ? over(['spec', 'groups'], bounds.nodes + 1, bounds.nodes, 'A number of nodes')
        : [];
    case 'MemoryDatabase':
      return [
        ...over(['spec', 'shards'], object.spec.shards, bounds.entries, 'A number of shards'),
        ...over(['spec', 'replicas'], object.spec.replicas, bounds.entries, 'A number of replicas')
      ];
    default:
      return [];
  }
}

/**
 * What is too much for this program, or would make a loop of the stand-in stumble: numbers that are counted through, lists, quantities,
 * address ranges. Bounds: {@link bounds}; ranges: RFC 4632.
 */
export function boundFaults(object: ApiObject): Fault[] {
  const found = countFaults(object);
  if ('spec' in object) tooMuch(object.spec, ['spec'], found);
  return found;
}

/** What a schema doesn't show: what is too much for this program, else what the cluster API refuses. */
export function extraFaults(object: ApiObject): Fault[] {
  // What is too much isn't counted through to find more.
  const bound = boundFaults(object);
  return bound.length ? bound : validate(object);
}
