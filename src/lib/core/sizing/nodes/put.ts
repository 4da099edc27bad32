import { asManifest } from '../../manifest';
import { amountText, askOf, type ApiObject, type Deployment, type Facts, type StatefulSet } from '../../model';
import { workloadNamed } from '../../proofs';
import { bytesOf, milliCpuOf, plural } from '../../shared';
import type { Put } from '../calc';
import { memberSets } from './take';
import type { NodesAsk } from './ask';

type Line = NodesAsk['members'][number];
type Container = StatefulSet['spec']['template']['spec']['containers'][number];

/** A container that asks for so much more (or less) of one thing; its limit goes along where it would be below. A text says why it can't. */
function asking(container: Container, what: 'cpu' | 'memory', more: number): Container | string {
  if (more === 0) return container;
  const read = what === 'cpu' ? milliCpuOf : bytesOf;
  const { requests = {}, limits = {} } = container.resources ?? {};
  const limit = limits[what];
  const asks = requests[what] ?? limit;
  const wanted = (asks === undefined ? 0 : read(asks)) + more;
  if (wanted < 0) return `its other containers ask for more ${what === 'cpu' ? 'CPU' : 'memory'} than that`;
  const text = amountText(what, wanted);
  return {
    ...container,
    resources: {
      ...container.resources,
      requests: { ...requests, [what]: text },
      ...(limit !== undefined && read(limit) < wanted ? { limits: { ...limits, [what]: text } } : {})
    }
  };
}

function altered(set: StatefulSet | Deployment, line: Line): ApiObject | string | undefined {
  const { template } = set.spec;
  const [first, ...others] = template.spec.containers;
  const now = askOf(template.spec);
  const count = Number(line.count);
  const moreCpu = milliCpuOf(line.cpu) - now.milliCpu;
  // Memory is shown in whole MiB, rounded up: what reads the same is the same.
  const mib = 2 ** 20;
  const shownMemory = Math.ceil(now.memoryBytes / mib) * mib;
  const moreMemory = bytesOf(line.memory) === shownMemory ? 0 : bytesOf(line.memory) - now.memoryBytes;
  if (count === (set.spec.replicas ?? 1) && !moreCpu && !moreMemory) return undefined;
  if (set.metadata.ownerReferences?.length) return 'an operator keeps it: ask for it in its resource';
  const withCpu = asking(first!, 'cpu', moreCpu);
  if (typeof withCpu === 'string') return withCpu;
  const container = asking(withCpu, 'memory', moreMemory);
  if (typeof container === 'string') return container;
  const spec = { ...template.spec, containers: [container, ...others] };
  return asManifest({ ...set, spec: { ...set.spec, replicas: count, template: { ...template, spec } } } as ApiObject);
}

/**
 * Rows of members as manifests of the sets that they were taken from: how many there are, and what each asks for. What else a row says, and
 * rows of no set, stay on the sheet.
 * @param of the workload that they were taken from; left out: all
 * @param members as they are written, each cell readable
 */
export function putNodes(
  facts: Facts,
  of: { readonly namespace: string; readonly name: string } | undefined,
  members: readonly Line[]
): Put | string {
  const chosen = of && workloadNamed(facts, of.namespace, of.name);
  if (of && !chosen) return 'there is no such workload';
  const sets = memberSets(facts, chosen);
  const objects: ApiObject[] = [];
  const left: string[] = [];
  const why: string[] = [];
  for (const line of members) {
    const set = sets.find((one) => one.name === line.name);
    const found = set && altered(set.set, line);
    if (!set) left.push(line.name);
    else if (typeof found === 'string') why.push(`${line.name}: ${found}`);
    else if (found) objects.push(found);
  }
  if (why.length) return why.join('; ');
  if (!objects.length) return left.length === members.length ? 'none of the rows is a set that stands here' : 'all of it stands so already';
  return {
    objects,
    title: `requests and counts of ${plural(objects.length, 'workload')}`,
    not: left.join(', ')
  };
}
