import {
  isReady,
  podsMadeBy,
  type DaemonSet,
  type Deployment,
  type Facts,
  type Pod,
  type PodSpec,
  type ReplicaSet,
  type StatefulSet
} from '../model';
import { eventsAbout } from './statements';

type Maker = Deployment | DaemonSet | StatefulSet;

/** One half of a driver, as it is found in an export. */
export interface DriverHalf {
  readonly makers: readonly Maker[];
  readonly pods: readonly Pod[];
}

/** What of a driver an export shows. What isn't found may still be there. */
export interface DriverParts {
  readonly controller: DriverHalf;
  readonly node: DriverHalf;
}

/** Sidecars by what they are called. Source: CSI sidecar containers, as their images and deployments name them. */
const sidecars = {
  controller: /(^|[-/])(external-)?(csi-)?(provisioner|attacher|resizer|snapshotter)(\b|$)/i,
  node: /(^|[-/])(csi-)?(node-)?(driver-)?registrar(\b|$)/i
};

const bareImage = (image: string): string =>
  (image.split('@')[0] ?? '')
    .replace(/:[^/:]*$/, '')
    .split('/')
    .at(-1) ?? '';

const hasSidecar = (spec: PodSpec, half: keyof typeof sidecars): boolean =>
  spec.containers.some((one) => sidecars[half].test(one.name) || sidecars[half].test(bareImage(one.image ?? '')));

/** Texts in which a driver's parts name it: arguments, commands, environment, and paths of the host. */
function* textsOf(spec: PodSpec): Generator<string> {
  for (const one of [...spec.containers, ...(spec.initContainers ?? [])]) {
    yield* one.args ?? [];
    yield* one.command ?? [];
    for (const { value } of one.env ?? []) if (value) yield value;
  }
  for (const { hostPath } of spec.volumes ?? []) if (hostPath?.path) yield hostPath.path;
}

const edge = /[\w.-]/;

/** Whether a text names a driver as a whole word, so that `disk.example` is not found in `fast-disk.example`. */
export function namesDriver(text: string, driver: string): boolean {
  for (let at = text.indexOf(driver); at >= 0; at = text.indexOf(driver, at + 1)) {
    const [before, after] = [text[at - 1], text[at + driver.length]];
    if ((before === undefined || !edge.test(before)) && (after === undefined || !edge.test(after))) return true;
  }
  return false;
}

const names = (spec: PodSpec, driver: string): boolean => {
  for (const text of textsOf(spec)) if (namesDriver(text, driver)) return true;
  return false;
};

const family = ['app.kubernetes.io/instance', 'app.kubernetes.io/part-of', 'app.kubernetes.io/name', 'app', 'release'];
/** Whether two workloads plainly belong together: a label of the family in common, or one account. */
function kin(a: Maker, b: Maker): boolean {
  if (a.metadata.namespace !== b.metadata.namespace) return false;
  const labels = (one: Maker) => ({ ...one.metadata.labels, ...one.spec.template.metadata?.labels });
  const [x, y] = [labels(a), labels(b)];
  if (family.some((label) => x[label] !== undefined && x[label] === y[label])) return true;
  const [p, q] = [a.spec.template.spec.serviceAccountName, b.spec.template.spec.serviceAccountName];
  return p !== undefined && p === q && p !== 'default';
}

/** Pods that speak for the driver in events: `<driver>_<pod>_<id>`. Source: external-provisioner and its like, as they name themselves. */
function speakers(facts: Facts, driver: string): Set<string> {
  const found = new Set<string>();
  for (const object of facts.list('PersistentVolumeClaim').slice(0, 500))
    for (const { by } of eventsAbout(facts, object))
      if (by.startsWith(`${driver}_`)) found.add(by.slice(driver.length + 1).replace(/_[^_]*$/, ''));
  return found;
}

const known = new WeakMap<Facts, Map<string, DriverParts>>();

/** Finds a driver's parts by their structure: registration and plugin paths, sidecars, arguments, who speaks in events, kinship. */
export function driverParts(facts: Facts, driver: string): DriverParts {
  let all = known.get(facts);
  if (!all) known.set(facts, (all = new Map()));
  const cached = all.get(driver);
  if (cached) return cached;
  const makers: Maker[] = [...facts.list('Deployment'), ...facts.list('StatefulSet'), ...facts.list('DaemonSet')];
  const isNode = (one: Maker) =>
    hasSidecar(one.spec.template.spec, 'node') || (one.kind === 'DaemonSet' && names(one.spec.template.spec, driver));
  const named = makers.filter((one) => names(one.spec.template.spec, driver));
  const node = named.filter(isNode);
  const voices = speakers(facts, driver);
  const candidates = makers.filter((one) => !node.includes(one) && hasSidecar(one.spec.template.spec, 'controller'));
  const sure = candidates.filter(
    (one) => names(one.spec.template.spec, driver) || podsMadeBy(facts, one).some((pod) => voices.has(pod.metadata.name))
  );
  const near = sure.length ? sure : candidates.filter((one) => node.some((other) => kin(one, other)));
  // The only one of its kind beside the node part, where nobody else could be meant.
  const beside = near.length ? near : candidates.filter((one) => node.some((other) => other.metadata.namespace === one.metadata.namespace));
  const controller = beside.length === 1 || near.length ? beside : [];
  const bare = facts.list('Pod').filter((pod) => !pod.metadata.ownerReferences?.length && names(pod.spec, driver));
  const parts: DriverParts = {
    controller: {
      makers: controller,
      pods: [
        ...controller.flatMap((one) => podsMadeBy(facts, one)),
        ...bare.filter((pod) => hasSidecar(pod.spec, 'controller') && !hasSidecar(pod.spec, 'node')),
        ...orphans(facts, driver, 'controller', controller)
      ]
    },
    node: {
      makers: node,
      pods: [
        ...node.flatMap((one) => podsMadeBy(facts, one)),
        ...bare.filter((pod) => hasSidecar(pod.spec, 'node')),
        ...orphans(facts, driver, 'node', node)
      ]
    }
  };
  all.set(driver, parts);
  return parts;
}

/** Pods of workloads that the export doesn't hold. */
function orphans(facts: Facts, driver: string, half: 'controller' | 'node', makers: readonly Maker[]): Pod[] {
  if (makers.length) return [];
  return facts.list('Pod').filter((pod) => {
    if (!pod.metadata.ownerReferences?.length || !names(pod.spec, driver)) return false;
    const node = hasSidecar(pod.spec, 'node') || pod.metadata.ownerReferences.some((one) => one.kind === 'DaemonSet');
    return half === 'node' ? node : !node && hasSidecar(pod.spec, 'controller');
  });
}

/** Forgets what was found, when objects of an export have come to stand. */
export const forgetParts = (facts: Facts): void => void known.delete(facts);

/** The node part's pod on a node. */
export const nodePartOn = (parts: DriverParts, node: string): Pod | undefined => parts.node.pods.find((one) => one.spec.nodeName === node);

/** How many replicas a maker wants and has ready, by its own status. */
export function replicasOf(maker: Maker | ReplicaSet): { wanted: number; ready: number } {
  if (maker.kind === 'DaemonSet') return { wanted: maker.status?.desiredNumberScheduled ?? 0, ready: maker.status?.numberReady ?? 0 };
  const { readyReplicas = 0 } = (maker.status ?? {}) as { readyReplicas?: number };
  return { wanted: maker.spec.replicas ?? 1, ready: readyReplicas };
}

/** How many pods of a half are ready; by its makers where their pods weren't exported. */
export function readyIn(half: DriverHalf): { ready: number; of: number } {
  const told = half.pods.filter((one) => one.status?.phase ?? one.status?.conditions?.length);
  if (told.length) return { ready: told.filter(isReady).length, of: told.length };
  const all = half.makers.map(replicasOf);
  return { ready: all.reduce((sum, one) => sum + one.ready, 0), of: all.reduce((sum, one) => sum + one.wanted, 0) };
}
