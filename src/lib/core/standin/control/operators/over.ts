import { decode } from 'js-base64';
import { momentOf } from '../../../shared';
import { clusterDomain, factsIn, type ApiObject, type DocumentSet, type Facts, type Kind, type StatefulSet } from '../../../model';
import type { SpanMs } from '../../clock/steps';
import { domainOver } from '../../provider/links';
import { membersApart, overMark } from '../../provider/over';
import { overFault, type OverFault } from '../../provider/over-rights';
import { operatorOf } from '../../provider/operators';
import type { ClusterAccess } from '../loop';
import { makeCredentials } from './credentials';
import { certified, documentsSet, surroundings } from './documents';
import { ensure, ensureSet, report } from './expanding';

type Entry = NonNullable<DocumentSet['spec']['clusters']>[number];

/** Annotation (invented) of what an operator of another cluster has made: `cluster/namespace/name` of the resource. */
export const madeFromMark = 'standin.example/made-from';
/** Members in several clusters take so long to find each other (common practice, no source). */
export const overNormalMs: SpanMs = [300_000, 900_000];
/** The next cluster is begun once the members of the one before are ready, or after so long. Made up. */
const patienceMs = 120_000;

/** What is kept of a resource, so that it is known where its parts stand once it has gone. */
interface Kept {
  readonly clusters: readonly string[];
  readonly takesAlong: DocumentSet['spec']['takesAlong'];
}
const keptIn = (world: ClusterAccess) => world.memory<Kept>('over');

/** The members that one of its clusters has: their names. A cluster that comes later gets the next free ten numbers. */
export function membersOver(
  facts: Facts,
  { metadata, spec }: DocumentSet
): { readonly entry: Entry; readonly start: number; readonly members: string[] }[] {
  const { name, namespace = '' } = metadata;
  const setIn = (cluster: string) => factsIn(facts, cluster)?.get('StatefulSet', namespace, name);
  const known = (spec.clusters ?? []).map((entry) => ({ entry, start: setIn(entry.cluster)?.spec.ordinals?.start }));
  const taken = new Set(known.map((one) => one.start));
  return known.map(({ entry, start: own }) => {
    let start = own ?? 0;
    if (own === undefined) {
      while (taken.has(start)) start += membersApart;
      taken.add(start);
    }
    return { entry, start, members: Array.from({ length: entry.members }, (_, i) => `${name}-${start + i}`) };
  });
}

/** The names that its certificate has to carry: each member's and the service's, as its own cluster and as others call it. */
export function namesOver(facts: Facts, one: DocumentSet): string[] {
  const { name, namespace = '' } = one.metadata;
  const tail = `${name}.${namespace}.svc`;
  return membersOver(facts, one)
    .flatMap(({ entry: { cluster }, members }) => {
      const its = factsIn(facts, cluster);
      const domains = [...(its ? [clusterDomain(its)] : []), domainOver(cluster)];
      return domains.flatMap((domain) => [...members.map((member) => `${member}.${tail}.${domain}`), `${tail}.${domain}`]);
    })
    .filter((each, i, all) => all.indexOf(each) === i);
}

/** Puts an object into a cluster as it is here, or as it has become here. */
function copied(there: ClusterAccess, object: ApiObject, from: string): void {
  const { name, namespace = '', labels } = object.metadata;
  const metadata = { name, namespace, ...(labels ? { labels } : {}), annotations: { [madeFromMark]: from } };
  const known = there.store.find({ kind: object.kind, namespace, name });
  there.put({
    ...object,
    metadata: known ? { ...known.metadata, ...metadata, annotations: { ...known.metadata.annotations, ...metadata.annotations } } : metadata
  } as ApiObject);
}

/** The set of one cluster. */
function setThere(one: DocumentSet, entry: Entry, start: number): StatefulSet {
  const { volume } = one.spec;
  const spec = { ...one.spec, volume: { ...volume, storageClassName: entry.storageClassName ?? volume.storageClassName } };
  const set = documentsSet({ ...one, spec }, entry.members);
  const clusters = one.spec.clusters!.map((each) => each.cluster);
  return {
    ...set,
    metadata: { ...set.metadata, annotations: { ...set.metadata.annotations, [overMark]: clusters.join(',') } },
    spec: { ...set.spec, ordinals: { start } }
  };
}

/** Its part in one cluster: what members read and show, their names, themselves. */
function partThere(
  world: ClusterAccess,
  there: ClusterAccess,
  one: DocumentSet,
  entry: Entry,
  start: number,
  all: readonly string[]
): void {
  const { name, namespace = '' } = one.metadata;
  const from = `${world.store.elsewhere?.here ?? ''}/${namespace}/${name}`;
  if (there !== world) {
    const access = world.store.get('Secret', namespace, `${name}-access`);
    const shown = one.spec.tls ? world.store.get('Secret', namespace, `${name}-tls`) : undefined;
    if (access) copied(there, access, from);
    if (shown) copied(there, shown, from);
    const authority = shown?.data?.['ca.crt'];
    if (authority !== undefined)
      copied(
        there,
        {
          apiVersion: 'v1',
          kind: 'ConfigMap',
          metadata: { name: `${name}-authorities`, namespace, labels: shown!.metadata.labels },
          data: { 'authorities.pem': decode(authority) }
        } as ApiObject,
        from
      );
  }
  for (const object of surroundings(one, all)) {
    if (object.kind === 'ConfigMap') copied(there, object, from);
    else ensure(there, object, {});
  }
  const set = setThere(one, entry, start);
  ensureSet(there, { ...set, metadata: { ...set.metadata, annotations: { ...set.metadata.annotations, [madeFromMark]: from } } }, {});
  const known = there.store.get('StatefulSet', namespace, name)!;
  const over = set.metadata.annotations![overMark]!;
  // One that stood in its operator's cluster alone before is marked, too: else nobody would take it away there.
  const marks = { [overMark]: over, [madeFromMark]: from };
  if (Object.entries(marks).some(([mark, value]) => known.metadata.annotations?.[mark] !== value))
    there.put({ ...known, metadata: { ...known.metadata, annotations: { ...known.metadata.annotations, ...marks } } });
}

const readyIn = (there: ClusterAccess, namespace: string, name: string): number =>
  there.store.by<'Process'>('processes', `${namespace}/${name}`).filter((one) => one.status?.ready).length;

/** A document set over several clusters is expanded cluster by cluster; one that can't be reached or written to keeps no other from it. */
export function expandOver(world: ClusterAccess, one: DocumentSet, entries: readonly Entry[]): void {
  const { name, namespace = '' } = one.metadata;
  const key = `DocumentSet ${namespace}/${name}`;
  const card = operatorOf('DocumentSet')!;
  const here = world.store.elsewhere?.here;
  const wanted = entries.reduce((sum, entry) => sum + entry.members, 0);
  if (wanted !== one.spec.members)
    return report(
      world,
      one,
      'refused',
      'False',
      'Refused',
      `The clusters have ${wanted} members together, and spec.members says ${one.spec.members}.`
    );
  const before = keptIn(world).get(key)?.clusters ?? [];
  const clusters = entries.map((entry) => entry.cluster);
  keptIn(world).set(key, { clusters, takesAlong: one.spec.takesAlong });
  for (const gone of before) if (!clusters.includes(gone)) takeAway(world, gone, namespace, name, 'set');
  makeCredentials(world, namespace, `${name}-access`, name, []);
  if (one.spec.tls && !certified(world, one, namesOver(world.store, one)))
    return report(world, one, 'certificate', 'False', 'CertificateIssued', `The certificate ${name} is being issued.`);
  const all = membersOver(world.store, one);
  const faults: OverFault[] = [];
  let ready = 0;
  let begins = true;
  for (const { entry, start } of all) {
    const fault = entry.cluster === here ? undefined : overFault(world.store, card, entry.cluster, namespace);
    const there = entry.cluster === here ? world : world.abroad(entry.cluster);
    if (fault || !there) {
      if (fault) faults.push(fault);
      // What stands there already goes on without its operator.
      if (there) ready += readyIn(there, namespace, name);
      continue;
    }
    const known = there.store.get('StatefulSet', namespace, name);
    if (!known && !begins) continue;
    partThere(
      world,
      there,
      one,
      entry,
      start,
      all.flatMap((each) => each.members)
    );
    const now = readyIn(there, namespace, name);
    ready += now;
    if (now >= entry.members) continue;
    const madeMs = momentOf(there.store.get('StatefulSet', namespace, name)!.metadata.creationTimestamp ?? '');
    const leftMs = madeMs + patienceMs - world.nowMs;
    if (leftMs > 0) {
      begins = false;
      world.after(leftMs, key);
    }
  }
  const count = `${ready} of ${wanted} members are ready.`;
  const [first] = faults;
  if (first) report(world, one, 'members', 'False', first.reason, `${first.message} ${count}`, overNormalMs);
  else if (ready < wanted) report(world, one, 'members', 'False', 'MembersStart', count, overNormalMs);
  else report(world, one, 'ready', 'True', 'Ready', `All ${ready} members in ${entries.length} clusters are ready.`);
}

/** What is taken along, by how much is to go. */
const parts: Readonly<Record<DocumentSet['spec']['takesAlong'], readonly Kind[]>> = {
  nothing: [],
  set: ['StatefulSet', 'Service', 'ConfigMap'],
  claims: ['StatefulSet', 'Service', 'ConfigMap'],
  all: ['StatefulSet', 'Service', 'ConfigMap', 'Secret']
};

/** Takes its parts in one cluster away, as far as its operator may do anything there. */
function takeAway(world: ClusterAccess, cluster: string, namespace: string, name: string, takes: Kept['takesAlong']): void {
  const here = world.store.elsewhere?.here ?? '';
  const there = cluster === here ? world : world.abroad(cluster);
  if (!there || (there !== world && overFault(world.store, operatorOf('DocumentSet')!, cluster, namespace))) return;
  const from = `${here}/${namespace}/${name}`;
  for (const kind of parts[takes])
    for (const object of there.store.list(kind, namespace) as ApiObject[]) {
      const { annotations } = object.metadata;
      const ours = annotations?.[madeFromMark] === from || (kind === 'Service' && object.metadata.name === name);
      if (ours) there.remove({ kind, namespace, name: object.metadata.name });
    }
}

/** A document set over several clusters has gone: nobody owns anything over a link, so its operator takes its parts away. */
export function dropOver(world: ClusterAccess, namespace: string, name: string): void {
  const key = `DocumentSet ${namespace}/${name}`;
  const kept = keptIn(world).get(key);
  if (!kept) return;
  keptIn(world).delete(key);
  for (const cluster of kept.clusters) takeAway(world, cluster, namespace, name, kept.takesAlong);
}
