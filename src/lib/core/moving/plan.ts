import { bytesOf, clockOf, plural } from '../shared';
import { came } from './waits';
import { entryOf, factsIn, keyOf, refOf, type ApiObject, type Facts, type Ref, type StatefulSet } from '../model';
import { asManifest, inSendingOrder } from '../manifest';
import { companionsOf } from '../change';
import { classesThere, fitOf, needsOf } from '../fit';
import { inCluster } from '../supposed';
import { workloadNamed } from '../proofs';
import { engineRunning, followed, isOver, linkNamesFault, mirrorOf, operatorOf, overFault, sentByPerson, type EngineId } from '../standin';

/** How a workload comes to another cluster. */
export type MoveWay = 'members' | 'standby' | 'copy';

/** What is waited for before the next step. */
export type MoveWait =
  | { readonly is: 'ready'; readonly cluster: string }
  | { readonly is: 'operated'; readonly cluster: string; readonly clusters: readonly string[] }
  | { readonly is: 'follows'; readonly cluster: string; readonly mirror: string }
  | { readonly is: 'caught-up'; readonly cluster: string; readonly mirror: string }
  | { readonly is: 'promoted'; readonly cluster: string; readonly mirror: string }
  | { readonly is: 'copied'; readonly cluster: string; readonly run: string }
  | { readonly is: 'returned'; readonly cluster: string; readonly name: string };

/** One step of a move. */
export interface MoveStep {
  /** Where it is done. */
  readonly cluster: string;
  readonly says: string;
  /** What is sent there; without it somebody does something that no manifest says. */
  readonly sends?: readonly ApiObject[];
  /** What it would send stands there already. */
  readonly stands?: true;
  /** It stands there, and what is waited for has come. */
  readonly done?: true;
  /** The step, from 1, that has to be through first: sent earlier it would lose what it is for. */
  readonly after?: number;
  readonly wait?: MoveWait;
  /** Whoever writes stands still from here on; goes on here, in the new cluster. */
  readonly writers?: 'stop' | 'go';
}

/** How a workload would be moved one way. */
export interface MovePlan {
  readonly way: MoveWay;
  readonly title: string;
  /** Why it can't be done this way; there are no steps then. */
  readonly not?: string;
  readonly steps: readonly MoveStep[];
  /** Whether writers have to stand still on the way, and for how long, in words. */
  readonly pause: string;
  readonly back: string;
}

/** A workload that is to go elsewhere, and what it needs there. */
export interface Move {
  readonly namespace: string;
  readonly workload: string;
  readonly from: string;
  readonly to: string;
  readonly engine: EngineId;
  /** What its claims ask for in the new cluster, in bytes. */
  readonly bytes: number;
  /** What of it doesn't fit there, a sentence each. */
  readonly unfit: readonly string[];
  readonly ways: readonly MovePlan[];
}

/** Draws a value for a secret that the new one needs: it has secrets of its own. */
export type Drawn = () => string;

/** How often one that is to be promoted looks what is new, in s: less is waited for the last of it. Made up. */
const lookSeconds = 2;

/** What stays where it is: data, and what is done with it there. */
const left: readonly string[] = ['PersistentVolumeClaim', 'VolumeSnapshot', 'BackupPlan', 'Mirror', 'Namespace', 'Rest', 'Tunnel'];

/** Everything that a workload is made of, as it would be sent to another cluster: with secrets of its own. */
function elsewhere(home: Facts, there: Facts, namespace: string, name: string, draw: Drawn): ApiObject[] {
  const workload = workloadNamed(home, namespace, name)!;
  const [chief] = [...workload.sets, ...workload.deployments, ...workload.daemonSets];
  const refs: Ref[] = [refOf(chief!), ...companionsOf(home, refOf(chief!)).map((one) => one.ref)];
  const all = refs
    .filter((one) => !left.includes(one.kind))
    .flatMap((one) => (home.get(one.kind, one.namespace, one.name) ?? []) as ApiObject);
  // What the cluster makes, certificates and authorities among it, is made there anew; a pair of keys can't be drawn.
  const made = (one: ApiObject) => !sentByPerson(one) || isKeyPair(one);
  const space = asManifest({ apiVersion: 'v1', kind: 'Namespace', metadata: { name: namespace } } as ApiObject);
  const seen = new Set<string>();
  const objects = all
    .filter((one) => !made(one) && !seen.has(keyOf(refOf(one))) && seen.add(keyOf(refOf(one))))
    .map((one) => fresh(asManifest(one), draw));
  return inSendingOrder([...(there.get('Namespace', '', namespace) ? [] : [space]), ...objects]);
}

const isKeyPair = (one: ApiObject): boolean => one.kind === 'Secret' && one.data?.['tls.key'] !== undefined;

/** As another cluster would take it: values of secrets drawn anew, addresses and ports left to it. */
function fresh(one: ApiObject, draw: Drawn): ApiObject {
  if (one.kind === 'Secret') {
    const { data, ...rest } = one;
    const keys = Object.keys({ ...data, ...(rest as { stringData?: object }).stringData });
    return { ...rest, stringData: Object.fromEntries(keys.map((key) => [key, draw()])) } as ApiObject;
  }
  if (one.kind !== 'Service') return one;
  const { ports, ...spec } = one.spec;
  const bare = ports?.map(({ nodePort: _, ...port }) => port);
  const { clusterIP, ...others } = spec as { clusterIP?: string } & typeof spec;
  return { ...one, spec: { ...others, ...(clusterIP === 'None' ? { clusterIP } : {}), ...(bare ? { ports: bare } : {}) } } as ApiObject;
}

/** A set whose claims name the classes that do the same in the other cluster; where none does, the name stays as it is. */
function classed(set: StatefulSet, classes: ReadonlyMap<string, string>): StatefulSet {
  const templates = set.spec.volumeClaimTemplates?.map((one) => {
    const storageClassName = classes.get(one.spec.storageClassName ?? '');
    return storageClassName === undefined || one.spec.storageClassName === undefined
      ? one
      : { ...one, spec: { ...one.spec, storageClassName } };
  });
  return { ...set, spec: { ...set.spec, ...(templates ? { volumeClaimTemplates: templates } : {}) } };
}

const claimedBytes = (objects: readonly ApiObject[]): number =>
  objects.reduce(
    (sum, one) =>
      one.kind === 'DocumentSet'
        ? sum + one.spec.members * bytesOf(one.spec.volume.size)
        : one.kind !== 'StatefulSet'
          ? sum
          : sum +
            (one.spec.replicas ?? 1) *
              (one.spec.volumeClaimTemplates ?? []).reduce((more, { spec }) => more + bytesOf(spec.resources.requests.storage), 0),
    0
  );

/** An object of the stand-in's own, as it would be read: with what its kind says where nobody says otherwise. */
function standin(kind: 'Mirror' | 'BackupRun' | 'BackupReturn', namespace: string, name: string, spec: object): ApiObject {
  const { schema } = entryOf(kind);
  return asManifest(schema.parse({ apiVersion: 'standin.example/v1', kind, metadata: { name, namespace }, spec }) as ApiObject);
}

interface Scene {
  readonly home: Facts;
  readonly from: string;
  readonly to: string;
  readonly namespace: string;
  readonly name: string;
  readonly engine: EngineId;
  readonly objects: readonly ApiObject[];
  /** The classes that do there, by the names that claims bear. */
  readonly classes: ReadonlyMap<string, string>;
}

/** Whether an operator makes a workload, here or from another cluster. */
const isOperated = (facts: Facts, namespace: string, name: string): boolean => {
  const set = facts.get('StatefulSet', namespace, name);
  return isOver(facts, namespace, name) || (set !== undefined && !sentByPerson(set));
};

/** The resource that a document set comes from, and what is known of the cluster where that stands. */
function resourceOf(home: Facts, namespace: string, name: string) {
  const seats = [home, ...(home.elsewhere?.clusters ?? []).flatMap((one) => factsIn(home, one) ?? [])];
  const owner = seats.find((one) => one.get('DocumentSet', namespace, name));
  const set = owner?.get('DocumentSet', namespace, name);
  if (!owner || !set) return undefined;
  const cluster = owner.elsewhere!.here;
  const seated = set.spec.clusters ?? [{ cluster, members: set.spec.members, storageClassName: set.spec.volume.storageClassName }];
  return { set, cluster, seated };
}

/** Why one that its operator makes can't be made anew by hand; undefined for one that somebody sent. */
function operatedWords(home: Facts, namespace: string, name: string): string | undefined {
  if (!isOperated(home, namespace, name)) return undefined;
  return resourceOf(home, namespace, name)
    ? 'its operator makes it: go by members'
    : 'its operator makes it, and its resource has to be sent there first';
}

/** What would be asked for in another cluster: for members of an operated set so many of them. */
function askedThere(home: Facts, namespace: string, name: string, objects: readonly ApiObject[]): readonly ApiObject[] {
  const found = resourceOf(home, namespace, name);
  const mine = found?.seated.find((one) => one.cluster === home.elsewhere!.here);
  if (!found || !mine) return objects;
  return [inCluster(found.set, mine.cluster)!];
}

/** Members are added over there and taken here, one cluster after the other; writers never stand still. */
function byMembers({ home, from, to, namespace, name, classes }: Scene): MovePlan {
  const back = `The same the other way round: members are added in ${from} again, and taken in ${to}.`;
  const base = {
    way: 'members',
    title: 'members there, then none here',
    pause: 'while another member is elected; writers need not be stopped',
    back
  } as const;
  const no = (not: string): MovePlan => ({ ...base, not, steps: [] });
  const found = resourceOf(home, namespace, name);
  if (!found) return no('only members of one document set agree over links, and an operator has to look after it');
  const { set, cluster, seated: before } = found;
  const mine = before.find((one) => one.cluster === from);
  if (!mine) return no(`it has no members in ${from}`);
  const seated = before.find((one) => one.cluster === to);
  const wanted = mine.storageClassName ?? set.spec.volume.storageClassName;
  const storageClassName = seated ? (seated.storageClassName ?? wanted) : classes.get(wanted);
  if (storageClassName === undefined) return no(`no class of ${to} does for its claims`);
  const added = seated ?? { cluster: to, members: mine.members, storageClassName };
  const most = before.reduce((sum, one) => sum + one.members, 0) + (seated ? 0 : mine.members);
  if (most > 9) return no(`it would have ${plural(most, 'member')} for a while, and may have 9`);
  const written = (clusters: readonly object[], members: number): ApiObject => {
    const { status: _, ...one } = set;
    return asManifest({ ...one, spec: { ...set.spec, members, clusters } } as unknown as ApiObject);
  };
  const both = seated ? before : [...before, added];
  const after = both.filter((one) => one.cluster !== from);
  const total = (list: readonly { readonly members: number }[]) => list.reduce((sum, one) => sum + one.members, 0);
  return {
    ...base,
    steps: [
      {
        cluster,
        ...(seated
          ? { says: `It has ${plural(seated.members, 'member')} in ${to}, beside those in ${from}.`, stands: true as const }
          : { says: `Give it ${plural(mine.members, 'member')} in ${to}, beside those in ${from}.`, sends: [written(both, total(both))] }),
        wait: { is: 'operated', cluster, clusters: both.map((one) => one.cluster) }
      },
      {
        cluster,
        says: `Take its members in ${from} away; ${plural(total(after), 'member')} hold everything by then.`,
        sends: [written(after, total(after))],
        wait: { is: 'operated', cluster, clusters: after.map((one) => one.cluster) },
        writers: 'go'
      }
    ]
  };
}

/** It is made over there, or stands there: then it is gone on with, whatever it holds. Gives why that can't be. */
function madeThere({ home, from, to, namespace, name, engine, objects }: Scene): MoveStep | string {
  const there = factsIn(home, to)!;
  const wait = { is: 'ready', cluster: to } as const;
  if (!workloadNamed(there, namespace, name))
    return { cluster: to, says: `Make it in ${to} as it stands in ${from}.`, sends: objects, wait };
  const its = engineRunning(there, namespace, name);
  if (its !== undefined && its !== engine) return `${namespace}/${name} of ${to} is ${its}, and this one is ${engine}`;
  return { cluster: to, says: `It stands in ${to}; what it holds of its own is given up.`, stands: true, wait };
}

/** One that follows over there is promoted. */
function byStandby(scene: Scene): MovePlan {
  const { home, from, to, namespace, name, engine } = scene;
  const back = `Let the one in ${from} follow the one in ${to}, and promote it the same way.`;
  const base = {
    way: 'standby',
    title: 'one that follows is promoted',
    pause: 'from the last write until it has everything and is promoted',
    back
  } as const;
  const no = (not: string): MovePlan => ({ ...base, not, steps: [] });
  if (!followed[engine]) return no('nothing can follow its engine');
  const operated = operatedWords(home, namespace, name);
  if (operated !== undefined) return no(operated);
  const made = madeThere(scene);
  if (typeof made === 'string') return no(made);
  const known = factsIn(home, to)!
    .list('Mirror', namespace)
    .find(
      ({ spec }) => spec.workload === name && spec.from.cluster === from && spec.from.namespace === namespace && spec.from.workload === name
    );
  if (known?.spec.promoted) return no(`the one in ${to} followed it, and was promoted: let it follow anew on Links`);
  const mirror = known?.metadata.name ?? `${name}-from-${from}`.slice(0, 63);
  const spec = known?.spec ?? { workload: name, from: { cluster: from, namespace, workload: name }, everySeconds: lookSeconds };
  return {
    ...base,
    steps: [
      made,
      {
        cluster: to,
        ...(known
          ? { says: `It follows the one in ${from}.`, stands: true as const }
          : {
              says: `Let it follow the one in ${from}, until it has what is written there.`,
              sends: [standin('Mirror', namespace, mirror, spec)]
            }),
        wait: { is: 'follows', cluster: to, mirror }
      },
      {
        cluster: from,
        says: 'Stop whoever writes, until it has the last of it.',
        wait: { is: 'caught-up', cluster: to, mirror },
        writers: 'stop'
      },
      {
        cluster: to,
        says: 'Promote it, and let writers go on there.',
        sends: [standin('Mirror', namespace, mirror, { ...spec, promoted: true })],
        wait: { is: 'promoted', cluster: to, mirror },
        writers: 'go'
      }
    ]
  };
}

/** A last copy is put back over there. */
function byCopy(scene: Scene): MovePlan {
  const { home, from, to, namespace, name } = scene;
  const back = `Nothing in ${from} is altered: writers go back there, and what was written in ${to} since stays behind.`;
  const base = { way: 'copy', title: 'a last copy is put back there', pause: 'from the last write until the copy is back', back } as const;
  const no = (not: string): MovePlan => ({ ...base, not, steps: [] });
  const operated = operatedWords(home, namespace, name);
  if (operated !== undefined) return no(operated);
  const made = madeThere(scene);
  if (typeof made === 'string') return no(made);
  const plan = home
    .list('BackupPlan', namespace)
    .find((one) => one.spec.workload === name && one.spec.how !== 'snapshots' && one.spec.into);
  if (!plan) return no('no plan copies it through its engine into a bucket: write one on Backups');
  const { into } = plan.spec;
  if (into!.cluster === undefined && into!.store === name && into!.namespace === namespace) return no('its copies lie in itself');
  const free = (wanted: string, taken: (one: string) => unknown): string => {
    let nth = 1;
    const named = () => (nth === 1 ? wanted : `${wanted}-${nth}`);
    while (taken(named())) nth += 1;
    return named();
  };
  const returns = factsIn(home, to)!.list('BackupReturn', namespace);
  const wanted = `${name}-last`.slice(0, 60);
  // One that was made for this and not put back yet is gone on with.
  const last = home
    .list('BackupRun', namespace)
    .filter(
      ({ metadata, spec, status }) => metadata.name.startsWith(wanted) && spec.plan === plan.metadata.name && status?.phase === 'Done'
    )
    .filter(({ metadata }) => !returns.some(({ spec }) => spec.cluster === from && spec.run === metadata.name))
    .sort((a, b) => (b.status!.beganMs ?? 0) - (a.status!.beganMs ?? 0))[0];
  const run = last?.metadata.name ?? free(wanted, (one) => home.get('BackupRun', namespace, one));
  const put = free(`${name}-from-${from}`.slice(0, 60), (one) => factsIn(home, to)!.get('BackupReturn', namespace, one));
  return {
    ...base,
    steps: [
      made,
      {
        cluster: from,
        ...(last
          ? {
              says: `It was copied by ${run} at ${clockOf(last.status!.momentMs ?? last.status!.beganMs ?? 0)}: what was written since is not in it. Take that run away to copy it anew.`,
              stands: true as const
            }
          : {
              says: `Stop whoever writes, and copy it once more by the plan ${plan.metadata.name}.`,
              sends: [standin('BackupRun', namespace, run, { plan: plan.metadata.name })]
            }),
        wait: { is: 'copied', cluster: from, run },
        writers: 'stop'
      },
      {
        cluster: to,
        says: 'Put that copy back there, and let writers go on.',
        sends: [standin('BackupReturn', namespace, put, { plan: plan.metadata.name, cluster: from, run, into: name, over: true })],
        wait: { is: 'returned', cluster: to, name: put },
        writers: 'go'
      }
    ]
  };
}

/** Steps with how far they have come: what stands is done once what is waited for has come, and nothing is sent before all earlier ones are done. */
function goneOn(home: Facts, of: Pick<Move, 'namespace' | 'workload'>, steps: readonly MoveStep[]): MoveStep[] {
  const through = steps.map((one) => one.stands === true && (!one.wait || came(home, of, one.wait, -Infinity) === true));
  return steps.map((one, i) => {
    const first = steps.findIndex((two, j) => j < i && (two.sends !== undefined || two.stands === true) && !through[j]);
    return { ...one, ...(through[i] ? { done: true as const } : {}), ...(first >= 0 && one.sends ? { after: first + 1 } : {}) };
  });
}

/**
 * How a workload would go from its cluster to another one of the common clock, three ways.
 * @returns why it can't be told, as a sentence
 */
export function movesTo(home: Facts, namespace: string, name: string, to: string, draw: Drawn = () => ''): Move | string {
  const from = home.elsewhere?.here;
  const there = factsIn(home, to);
  if (from === undefined || !there || to === from) return `${to} is not linked with this cluster.`;
  const link = linkNamesFault(home, to);
  if (link) return `Nothing goes to ${to}: ${link.says}.`;
  const engine = engineRunning(home, namespace, name);
  if (!engine || !workloadNamed(home, namespace, name)) return `No engine of ${namespace}/${name} runs here.`;
  const follows = mirrorOf(home, namespace, name)?.spec.from;
  if (follows) return `${name} follows ${follows.workload} of ${follows.cluster}: promote it, or move that one.`;
  const made = elsewhere(home, there, namespace, name, draw);
  const asked = askedThere(home, namespace, name, made);
  const needs = needsOf(home, asked);
  const classes = classesThere(there, needs, asked);
  const objects = made.map((one) => (one.kind === 'StatefulSet' ? classed(one, classes) : one));
  const unfit = fitOf(there, needs, asked)
    .filter((one) => one.state === 'broken' && !(one.need.startsWith('operator') && isOperated(home, namespace, name)))
    .map((one) => one.says);
  const operated = isOperated(home, namespace, name) ? resourceOf(home, namespace, name) : undefined;
  const rights =
    operated && operated.cluster !== to
      ? overFault(factsIn(home, operated.cluster)!, operatorOf('DocumentSet')!, to, namespace)
      : undefined;
  if (rights) unfit.push(rights.message.replace(/\.$/, ''));
  const pairs = home
    .list('Secret', namespace)
    .filter((one) => sentByPerson(one) && isKeyPair(one) && JSON.stringify(objects).includes(`"${one.metadata.name}"`));
  for (const { metadata } of pairs)
    if (!there.get('Secret', namespace, metadata.name))
      unfit.push(`the pair of keys in the secret ${metadata.name} has to be put there by hand`);
  const scene: Scene = { home, from, to, namespace, name, engine, objects, classes };
  return {
    namespace,
    workload: name,
    from,
    to,
    engine,
    bytes: claimedBytes(asked),
    unfit,
    ways: [byMembers(scene), byStandby(scene), byCopy(scene)].map((one) => ({
      ...one,
      steps: goneOn(home, { namespace, workload: name }, one.steps)
    }))
  };
}
