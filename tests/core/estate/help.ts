import type { ApiObject, AskObject, Ref, StatefulSet } from '$core/model';
import { blueprintNamed } from '$core/blueprints';
import { startingGround } from '$core/briefs';
import {
  accessObject,
  grantObjects,
  groundObjects,
  installObjects,
  installOf,
  membersApart,
  operatorNamed,
  operatorObjects,
  overMark,
  type Action,
  type Estate,
  type EstatePart,
  type TimedAction,
  type World
} from '$core/standin';
import { objects } from '../help';

/** Ground of a small cluster with ranges of its own. @param nth which of the estate's clusters it is */
export function groundNth(name: string, nth: number, shape: 'small' | 'production' = 'small'): readonly ApiObject[] {
  const ground = startingGround(name, shape);
  return groundObjects({
    ...ground,
    spec: { ...ground.spec, podRange: `10.${80 + nth}.0.0/16`, serviceRange: `10.${180 + nth}.0.0/20`, nodeRange: `172.30.${nth}.0/24` }
  });
}

const classYaml = `
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: steady}
provisioner: block.standin.example
volumeBindingMode: WaitForFirstConsumer
allowVolumeExpansion: true
`;

/** What makes a cluster ready to hold volumes. */
export const supplied = (): TimedAction[] => [
  { atMs: 1_000, action: { type: 'send', objects: installObjects(installOf('block.standin.example')!) } },
  { atMs: 2_000, action: { type: 'send', objects: objects(classYaml) } }
];

export const link = { delayMs: 9, lossPercent: 0, carries: { names: true, addresses: true }, encrypted: true, version: '2.1' } as const;
export const joins = (atMs: number, cluster: string, more: object = {}): TimedAction => ({
  atMs,
  action: { type: 'join', with: cluster, link: { ...link, ...more } }
});

/** A document set's part in one of its clusters, made by hand, in plain. */
export function part(clusters: readonly string[], nth: number, members: number): ApiObject[] {
  const blueprint = blueprintNamed('document-set')!;
  const all = {
    ...Object.fromEntries(blueprint.questions.map((one) => [one.id, one.start])),
    class: 'steady',
    tls: 'off',
    members: String(members),
    cpu: '250m',
    memory: '512Mi',
    size: '4Gi'
  };
  const priorities = clusters.flatMap((_, i) =>
    Array.from({ length: 3 }, (__, j) => `crew-${i * membersApart + j}=${i === 0 && j === 0 ? 3 : 1}`)
  );
  return blueprint
    .objects(all, (name) => `for-tests-${name}`)
    .map((one) => {
      if (one.kind === 'ConfigMap')
        return { ...one, data: { 'engine.conf': `set_name = crew\npriorities = ${priorities.join(', ')}\ntls = off\n` } };
      if (one.kind !== 'StatefulSet') return one;
      const set: StatefulSet = {
        ...one,
        metadata: { ...one.metadata, annotations: { ...one.metadata.annotations, [overMark]: clusters.join(',') } },
        spec: { ...one.spec, ordinals: { start: nth * membersApart } }
      };
      return set;
    });
}

export const seeds: Readonly<Record<string, number>> = { east: 11, west: 12, north: 13, south: 14 };

/** Clusters with their parts. */
export function parts(
  actions: Readonly<Record<string, readonly TimedAction[]>>,
  shapes: Readonly<Record<string, 'small' | 'production'>> = {}
): Map<string, EstatePart> {
  return new Map(
    Object.entries(actions).map(([name, list]) => [
      name,
      {
        origin: { seed: seeds[name]!, ground: groundNth(name, Object.keys(seeds).indexOf(name), shapes[name]) },
        actions: [...supplied(), ...list]
      }
    ])
  );
}

/** `crew` over three clusters, two members, two and one. */
export const crewParts = (more: Readonly<Record<string, readonly TimedAction[]>> = {}): Map<string, EstatePart> => {
  const clusters = ['east', 'north', 'west'];
  const sent = (nth: number, members: number): TimedAction => ({
    atMs: 90_000,
    action: { type: 'send', objects: part(clusters, nth, members) }
  });
  return parts({
    east: [joins(60_000, 'north'), joins(60_000, 'west'), sent(0, 2), ...(more.east ?? [])],
    north: [joins(60_000, 'west'), sent(1, 2), ...(more.north ?? [])],
    west: [sent(2, 1), ...(more.west ?? [])]
  });
};

export const hashable = (world: World): string =>
  JSON.stringify(world.journal.changes.map(({ atMs, key, after }) => [atMs, key, after ?? null]));

export const acted = (world: World, action: Action): void => {
  const refusals = world.act(action);
  if (refusals.length) throw new Error(refusals.map((one) => one.message).join('\n'));
};

export const processes = (estate: Estate) =>
  estate.clusters.flatMap((name) =>
    estate
      .world(name)!
      .store.list('Process')
      .map((one) => `${name} ${one.metadata.name} ${one.status?.role} ${one.status?.ready} ${one.status?.says ?? ''}`)
  );

export const operator = operatorNamed('document-operator')!;
export const documentSet = (more: object = {}): ApiObject =>
  ({
    apiVersion: 'engines.standin.example/v1',
    kind: 'DocumentSet',
    metadata: { name: 'crew', namespace: 'people' },
    spec: {
      members: 5,
      cpu: '250m',
      memory: '512Mi',
      volume: { size: '4Gi', storageClassName: 'steady' },
      tls: true,
      takesAlong: 'set',
      clusters: [
        { cluster: 'east', members: 2 },
        { cluster: 'north', members: 2 },
        { cluster: 'west', members: 1 }
      ],
      ...more
    }
  }) as ApiObject;

/** Three clusters and a fourth, which runs the operator and holds no member. @param leave what is left out: grants or access of clusters */
export function operatedParts(
  leave: { grants?: readonly string[]; access?: readonly string[]; linkOf?: Readonly<Record<string, object>> } = {}
) {
  const sends = (atMs: number, objects: readonly ApiObject[]): TimedAction => ({ atMs, action: { type: 'send', objects } });
  const granted = (cluster: string) =>
    leave.grants?.includes(cluster) ? [] : [sends(70_000, grantObjects(operator, 'south', ['people']))];
  const access = ['east', 'north', 'west'].filter((one) => !leave.access?.includes(one)).map((one) => accessObject(operator, 'south', one));
  const more = (a: string, b: string) => leave.linkOf?.[`${a} ${b}`] ?? {};
  return parts({
    east: [
      joins(60_000, 'north', more('east', 'north')),
      joins(60_001, 'west', more('east', 'west')),
      joins(60_002, 'south'),
      ...granted('east')
    ],
    north: [joins(60_003, 'west', more('north', 'west')), joins(60_004, 'south'), ...granted('north')],
    south: [
      joins(60_005, 'west'),
      sends(61_000, operatorObjects(operator, ['people'])),
      sends(62_000, [{ apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'people' } } as ApiObject, ...access]),
      sends(90_000, [documentSet()])
    ],
    west: [...granted('west')]
  });
}

/** Clusters of one clock, with what is done to them by hand. */
export class Linked {
  private asks = 0;
  constructor(readonly estate: Estate) {}
  world = (cluster: string): World => this.estate.world(cluster)!;
  send = (yaml: string, cluster = 'east') => acted(this.world(cluster), { type: 'send', objects: objects(yaml) });
  remove = (ref: Ref, cluster = 'east') => acted(this.world(cluster), { type: 'remove', ref });
  later = (ms: number) => this.estate.runUntil(this.estate.nowMs + ms);
  ask(cluster: string, workload: string, op: AskObject['spec']['op']) {
    const id = `b${(this.asks += 1)}`;
    acted(this.world(cluster), { type: 'ask', namespace: 'space', id, ask: { workload, way: 'inside', login: 'right', op } });
    for (let n = 0; n < 600 && !this.world(cluster).store.get('Ask', 'space', id)!.status?.outcome; n += 1) this.later(100);
    return this.world(cluster).store.get('Ask', 'space', id)!.status!;
  }
}
