import { clockOf, plural } from '../shared';
import { factsIn, type ApiObject, type Facts, type Mirror } from '../model';
import { asManifest } from '../manifest';
import { linkRemedy, type Remedy } from '../rootline';
import { engineRunning, followed, isOver, linkNamesFault, linkPerSecond } from '../standin';
import { clustersOf } from './linked';

/** A workload that follows one of another cluster, or did until it was promoted. */
export interface FollowedWorkload {
  /** Where it follows. */
  readonly cluster: string;
  readonly namespace: string;
  /** The mirror's name. */
  readonly name: string;
  readonly workload: string;
  readonly from: { readonly cluster: string; readonly namespace: string; readonly workload: string };
  readonly only?: string;
  /** What is followed: tables, topics or objects; undefined while its engine doesn't run. */
  readonly what?: 'tables' | 'topics' | 'objects';
  readonly phase: 'Starting' | 'Follows' | 'Behind' | 'Promoted';
  readonly state: 'holds' | 'settling' | 'broken';
  readonly says: string;
  /** How much it would lack if the other cluster were lost now, in ms; undefined where it never had all, or follows no more. */
  readonly lackMs?: number;
  /** What becomes of it when either side is lost, a sentence each. */
  readonly lost: readonly { readonly label: string; readonly says: string; readonly state: 'partial' | 'broken' }[];
  readonly offsets: readonly { readonly key: string; readonly there: number; readonly here: number }[];
  readonly unshared?: NonNullable<Mirror['status']>['unshared'];
  readonly remedy?: Remedy;
  /** What promotes it; what lets the other one follow it, once it is. Each for the cluster that is named. */
  readonly promote?: ApiObject;
  readonly back?: { readonly cluster: string; readonly object: ApiObject };
}

const written = ({ metadata, spec }: Mirror, change: Partial<Mirror['spec']>): ApiObject =>
  asManifest({
    apiVersion: 'standin.example/v1',
    kind: 'Mirror',
    metadata: { name: metadata.name, namespace: metadata.namespace ?? '' },
    spec: { ...spec, ...change }
  });

/** What lets the one that was followed follow this one: its unshared writes are given up for it. */
function wayBack(facts: Facts, cluster: string, one: Mirror): FollowedWorkload['back'] {
  const { from, workload, ...spec } = one.spec;
  const there = factsIn(facts, from.cluster);
  const back = { cluster, namespace: one.metadata.namespace ?? '', workload };
  const follows = there
    ?.list('Mirror', from.namespace)
    .find((other) => other.spec.workload === from.workload && other.spec.from.cluster === cluster && other.spec.from.workload === workload);
  if (!there || (follows && !follows.spec.promoted)) return undefined;
  const object: Mirror = {
    apiVersion: 'standin.example/v1',
    kind: 'Mirror',
    metadata: { name: follows?.metadata.name ?? one.metadata.name, namespace: from.namespace },
    spec: { ...spec, workload: from.workload, from: back, promoted: false }
  };
  return { cluster: from.cluster, object: asManifest(object) };
}

/** What is to be said of the one that was followed, once this one takes writes: two that do are two histories. */
function stillWritten(facts: Facts, cluster: string, { metadata, spec: { from, workload } }: Mirror): string {
  const its = `${from.workload} of ${from.cluster}`;
  const there = factsIn(facts, from.cluster);
  if (!there || linkNamesFault(facts, from.cluster)) return `; whether ${its} takes writes, too, is unseen from here`;
  const follows = there
    .list('Mirror', from.namespace)
    .some(
      ({ spec, status }) =>
        spec.workload === from.workload &&
        spec.from.cluster === cluster &&
        spec.from.workload === workload &&
        spec.from.namespace === (metadata.namespace ?? '') &&
        status?.phase !== 'Promoted'
    );
  const runs = engineRunning(there, from.namespace, from.workload) !== undefined;
  return follows || !runs ? '' : `; ${its} runs, too, and what is written there never comes here`;
}

function shown(facts: Facts, cluster: string, one: Mirror): FollowedWorkload {
  const { namespace = '', name } = one.metadata;
  const { workload, from, only } = one.spec;
  const { phase = 'Starting', says = 'begins', momentMs, offsets = {}, unshared } = one.status ?? {};
  const engine = engineRunning(facts, namespace, workload);
  const its = `${from.workload} of ${from.cluster}`;
  const link = linkNamesFault(facts, from.cluster);
  const lackMs = momentMs === undefined || phase === 'Promoted' ? undefined : facts.nowMs - momentMs;
  const secondsLacking = Math.ceil((lackMs ?? 0) / 1_000);
  const there = factsIn(facts, from.cluster);
  const itsRuns = there && engineRunning(there, from.namespace, from.workload) !== undefined;
  const lost: FollowedWorkload['lost'] =
    phase === 'Promoted'
      ? []
      : [
          lackMs === undefined
            ? { label: `${from.cluster} lost`, says: `${workload} never held all of it: nothing to go on with`, state: 'broken' }
            : {
                label: `${from.cluster} lost`,
                says: `what was written in the last ${secondsLacking} s is lost; nobody writes until ${workload} is promoted by hand`,
                state: 'partial'
              },
          itsRuns
            ? { label: `${cluster} lost`, says: `${its} goes on alone`, state: 'partial' }
            : { label: `${cluster} lost`, says: `nothing of ${its} runs either`, state: 'broken' }
        ];
  const says_ =
    phase === 'Follows'
      ? `has what was written by ${clockOf(momentMs ?? 0)}`
      : phase === 'Starting'
        ? `takes over what ${its} holds`
        : phase === 'Behind'
          ? `${says}${momentMs === undefined ? '; it never held all of it' : `; it holds what was written by ${clockOf(momentMs)}`}`
          : `${says}${stillWritten(facts, cluster, one)}`;
  const back = phase === 'Promoted' ? wayBack(facts, cluster, one) : undefined;
  return {
    cluster,
    namespace,
    name,
    workload,
    from: { cluster: from.cluster, namespace: from.namespace, workload: from.workload },
    ...(only === undefined ? {} : { only }),
    ...(engine && followed[engine] ? { what: followed[engine]! } : {}),
    phase,
    state: phase === 'Behind' ? 'broken' : phase === 'Starting' || (phase === 'Promoted' && says_ !== says) ? 'settling' : 'holds',
    says: says_,
    ...(lackMs === undefined ? {} : { lackMs }),
    lost,
    offsets: Object.entries(offsets).map(([key, { there, here }]) => ({ key, there, here })),
    ...(unshared ? { unshared } : {}),
    ...(phase !== 'Behind' ? {} : { remedy: link ? linkRemedy(facts, link) : { text: one.status?.remedy ?? 'It tries again by itself.' } }),
    ...(phase === 'Promoted' ? {} : { promote: written(one, { promoted: true }) }),
    ...(back ? { back } : {})
  };
}

/** All clusters of the common clock; one that is linked with no other by itself: what is to follow over a link that is none is shown, too. */
function seats(facts: Facts) {
  const all = clustersOf(facts);
  return all.length ? all : [{ cluster: facts.list('Ground')[0]?.metadata.name ?? '', facts }];
}

/** Workloads that follow others, in all clusters of the common clock. */
export const followedWorkloads = (facts: Facts): FollowedWorkload[] =>
  seats(facts)
    .flatMap(({ cluster, facts: mine }) => mine.list('Mirror').map((one) => shown(mine, cluster, one)))
    .sort((a, b) => (`${a.cluster} ${a.namespace}/${a.name}` < `${b.cluster} ${b.namespace}/${b.name}` ? -1 : 1));

/** A workload that could follow one of another cluster. */
export interface MayFollow {
  readonly namespace: string;
  readonly workload: string;
  readonly engine: string;
  /** What it would give up for it, in words. */
  readonly gives: string;
  readonly from: readonly {
    readonly cluster: string;
    readonly namespace: string;
    readonly workload: string;
    readonly perSecond?: number;
  }[];
}

/** Workloads of this cluster that could follow others of the same engine elsewhere, by name. */
export function mayFollow(facts: Facts): MayFollow[] {
  const others = clustersOf(facts).filter(({ cluster }) => cluster !== facts.elsewhere?.here);
  const running = (its: Facts) =>
    [
      ...new Map(
        its
          .list('Process')
          .map(({ metadata: { namespace = '' }, spec }) => [`${namespace}/${spec.workload}`, { namespace, workload: spec.workload }])
      ).values()
    ].filter((one) => !isOver(its, one.namespace, one.workload));
  return running(facts)
    .flatMap(({ namespace, workload }): MayFollow[] => {
      const engine = engineRunning(facts, namespace, workload);
      const what = engine && followed[engine];
      if (!engine || !what) return [];
      const from = others.flatMap(({ cluster, facts: its }) =>
        running(its)
          .filter((one) => engineRunning(its, one.namespace, one.workload) === engine)
          .map((one) => {
            const perSecond = linkPerSecond(facts, { ...one, cluster, store: one.workload, bucket: '' });
            return { cluster, ...one, ...(perSecond === undefined ? {} : { perSecond }) };
          })
      );
      const members = facts.list('Process', namespace).filter((one) => one.spec.workload === workload).length;
      const gives = {
        tables: `what ${workload} holds of its own goes: all ${plural(members, 'member')} hold then what the other one holds`,
        topics: `topics of ${workload} stay; those of the other one come beside them`,
        objects: `objects of ${workload} that the other one doesn't have are deleted, unless they are to stay`
      }[what];
      return from.length ? [{ namespace, workload, engine, gives, from }] : [];
    })
    .sort((a, b) => (`${a.namespace}/${a.workload}` < `${b.namespace}/${b.workload}` ? -1 : 1));
}
