import type { AskObject, Facts, Mirror, Ref } from '../../../model';
import type { EngineId } from '../../cards/engines';
import { linkNamesFault, linkTo } from '../../provider/links';
import { overOf } from '../../provider/over';
import { engineRunning, workloadRef, type Broken } from '../backup/facts';
import { keyOfAsk } from '../backup/asking';
import type { ClusterAccess } from '../loop';

/** What of an engine is followed. `tables`: its log; `topics`: messages; `objects`: what lies in buckets. Left out: it can't be followed. */
export const followed: Readonly<Partial<Record<EngineId, 'tables' | 'topics' | 'objects'>>> = {
  'primary-standby-sql': 'tables',
  'multi-primary-sql': 'tables',
  'document-set': 'tables',
  'log-broker': 'topics',
  'memory-store': 'topics',
  'object-store': 'objects'
};

/** What a mirror of an engine takes over, whatever else it is asked. */
const meansAll = {
  tables: 'tables are followed as a whole, with what is deleted',
  topics: 'messages are never deleted or overwritten',
  objects: ''
} as const;

/** What the loop of mirrors remembers beside the objects, by key. */
const mirrorMemories = ['mirrorHands', 'mirrorOwn', 'mirrorNames', 'mirrorWanted'] as const;

/** Forgets what was under way: whoever follows anew begins with what lies there then. */
export function forgetMirror(world: Pick<ClusterAccess, 'memory'>, key: string): void {
  for (const memory of mirrorMemories) for (const name of [key, `${key} next`]) world.memory(memory).delete(name);
}

/** By which key the loop of mirrors knows one. */
export const mirrorKey = ({ metadata }: Mirror): string => `Mirror ${metadata.namespace ?? ''}/${metadata.name}`;

/** The mirror by which a workload follows another one just now; undefined where it follows none. */
export const mirrorOf = (facts: Facts, namespace: string, workload: string): Mirror | undefined =>
  facts.list('Mirror', namespace).find((one) => one.spec.workload === workload && one.status?.phase !== 'Promoted');

/** Why nobody can write to a workload at all while it follows another one; undefined where anybody can, be it beside what is followed. */
export function takesNoWrites(facts: Facts, namespace: string, workload: string): string | undefined {
  const engine = engineRunning(facts, namespace, workload);
  const one = engine && followed[engine] === 'tables' ? mirrorOf(facts, namespace, workload) : undefined;
  return one && `it follows ${one.spec.from.workload} of ${one.spec.from.cluster}, and takes no writes until it is promoted`;
}

const reads = new Set([
  'read',
  'list',
  'log',
  'copy',
  'members',
  'topics',
  'groups',
  'consume',
  'shards',
  'news',
  'fetch',
  'get',
  'health'
]);

/** Why a workload that follows another one takes no write; undefined where it does: it follows none, it is a read, or the mirror's own. */
export function followsFault(facts: Facts, ask: AskObject): string | undefined {
  const { workload, op } = ask.spec;
  if (reads.has(op.do)) return undefined;
  const one = mirrorOf(facts, ask.metadata.namespace ?? '', workload);
  if (!one || keyOfAsk(ask) === mirrorKey(one)) return undefined;
  const { only, from } = one.spec;
  const places = only === undefined ? one.status?.places : [only];
  if (places && op.place !== undefined && !places.includes(op.place)) return undefined;
  const what = places && op.place !== undefined ? `${workload} follows ${from.workload} of ${from.cluster} in ${op.place}` : undefined;
  return `${what ?? `${workload} follows ${from.workload} of ${from.cluster}`}: it is written to over there`;
}

/** Whether a workload has members in several clusters: it is one, wherever they stand. */
export function isOver(facts: Facts, namespace: string, workload: string): boolean {
  const set = facts.get('StatefulSet', namespace, workload);
  return set !== undefined && overOf(set) !== undefined;
}

/** Why a workload can't follow another one just now; undefined where it can. */
export function mirrorFault(facts: Facts, { metadata, spec }: Mirror): Broken | undefined {
  const { namespace = '', name } = metadata;
  const { cluster, namespace: space, workload } = spec.from;
  const itself: Ref = { kind: 'Mirror', namespace, name };
  const named = `${space}/${workload} of ${cluster}`;
  if (cluster === facts.elsewhere?.here)
    return { says: `${cluster} is this cluster`, remedy: 'Name another one in spec.from.cluster, that is linked with it.', at: itself };
  const link = linkNamesFault(facts, cluster);
  const there = facts.elsewhere?.facts(cluster);
  if (link || !there)
    return {
      says: `${named} is out of reach: ${link?.says ?? 'that cluster is not known here'}`,
      remedy: 'See the sheet Links; it goes on by itself once that is mended.',
      at: { kind: 'Link', namespace: '', name: linkTo(facts, cluster)?.metadata.name ?? '' }
    };
  const other = facts
    .list('Mirror', namespace)
    .find((one) => one.spec.workload === spec.workload && one.metadata.name < name && one.status?.phase !== 'Promoted');
  if (other)
    return {
      says: `${spec.workload} follows another one already, by ${other.metadata.name}`,
      remedy: 'Take one of the two away, or promote the other.',
      at: itself
    };
  const back = mirrorOf(there, space, workload)?.spec.from;
  if (back?.cluster === facts.elsewhere!.here && back.namespace === namespace && back.workload === spec.workload)
    return { says: `${named} follows this one itself`, remedy: 'Promote it over there first, or take that mirror away.', at: itself };
  const spans = [facts, there].some((one, i) => isOver(one, i ? space : namespace, i ? workload : spec.workload));
  if (spans)
    return {
      says: 'one of the two has members in several clusters, which agree over links by themselves',
      remedy: 'Take the mirror away.',
      at: itself
    };
  const [own, its] = [engineRunning(facts, namespace, spec.workload), engineRunning(there, space, workload)];
  if (own === undefined)
    return {
      says: `nothing of ${namespace}/${spec.workload} runs`,
      remedy: 'See its root line; it goes on by itself.',
      at: workloadRef(facts, namespace, spec.workload)
    };
  if (its === undefined)
    return { says: `nothing of ${named} runs`, remedy: 'See its root line over there, or promote this one.', at: itself };
  if (own !== its)
    return { says: `${spec.workload} is ${own}, and ${named} is ${its}`, remedy: 'Both have to be of one engine.', at: itself };
  const what = followed[own];
  if (!what) return { says: `${own} can't be followed`, remedy: 'Copy it through a backup plan instead.', at: itself };
  const idle = (what === 'tables' && spec.only !== undefined ? ['only'] : []).concat(
    what !== 'objects' && !spec.deletes ? ['deletes'] : [],
    what !== 'objects' && spec.versions === 'kept' ? ['versions'] : []
  );
  if (idle.length)
    return { says: `spec.${idle.join(', spec.')} means nothing for ${own}: ${meansAll[what]}`, remedy: 'Leave it out.', at: itself };
  return undefined;
}

/** The mirror by which the other side followed this workload until it was promoted; undefined where it never did. */
export function promotedFrom(facts: Facts, { metadata, spec }: Mirror): Mirror | undefined {
  const { cluster, namespace, workload } = spec.from;
  const there = facts.elsewhere?.facts(cluster);
  return there
    ?.list('Mirror', namespace)
    .filter(({ spec: its, status }) => its.workload === workload && status?.phase === 'Promoted')
    .filter(
      ({ spec: { from } }) =>
        from.cluster === facts.elsewhere!.here && from.namespace === (metadata.namespace ?? '') && from.workload === spec.workload
    )
    .sort((a, b) => (b.status?.sinceMs ?? 0) - (a.status?.sinceMs ?? 0))[0];
}
