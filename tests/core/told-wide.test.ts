/*
 * What is told and played of many things at once: pods placed by what they wish, clean-ups, copies and what is said of them, several
 * clusters. As in told.test.ts digests are held against those written down; that each is right is shown elsewhere, by examples.
 */
import { describe, expect, test } from 'vitest';
import { besideObjects, claimsFromSnapshots, figuresOf, judgeBackup, latestMs, nextRunMs, roomAhead, roomsAhead } from '$core/backups';
import { claimsBack } from '$core/backups/figures';
import { answerFaults, blueprintNamed, blueprints, firstAnswers } from '$core/blueprints';
import { forceRisks } from '$core/change/force';
import { tryCleanUp } from '$core/change';
import { linkedPairs, mayFollow, overWorkloads, rightsTables, tryReach } from '$core/estate';
import { refOf, type ApiObject, type Pod } from '$core/model';
import { lastTouchedMs } from '$core/proofs';
import { drawInt } from '$core/shared';
import { engineCards, Estate, World, type EngineId, type Snapshot } from '$core/standin';
import { returnWay } from '$core/standin/control/backup/returns';
import { aside, played } from '../played';
import { toldOf, wordless } from '../told';
import { acted, operatedParts } from './estate/help';
import { demo, foreseen, one, told, worldOf } from './told-help';
import { answered, must, roomy } from './roomy';

const zone = 'topology.kubernetes.io/zone';
const host = 'kubernetes.io/hostname';

test('pods placed by what they need and wish: labels, company, distance, spread, taints, room', () => {
  const world = roomy({ nodes: 3 });
  world.store.nodes().forEach((node, i) =>
    world.put({
      ...node,
      metadata: { ...node.metadata, labels: { ...node.metadata.labels, disk: i % 2 ? 'fast' : 'steady', rank: String(i) } },
      spec: {
        ...node.spec,
        ...(i % 4 === 1 ? { taints: [{ key: 'spare', effect: 'PreferNoSchedule' as const }] } : {}),
        ...(i % 4 === 3 ? { taints: [{ key: 'kept', value: 'yes', effect: 'NoSchedule' as const }] } : {})
      }
    })
  );
  const apps = ['red', 'green', 'blue'];
  const term = (what: string) => ({
    topologyKey: one([zone, host], what),
    labelSelector: { matchLabels: { app: one(apps, `${what} app`) } }
  });
  const expression = (what: string) =>
    one(
      [
        { key: 'disk', operator: 'In', values: ['fast'] },
        { key: 'disk', operator: 'NotIn', values: ['fast'] },
        { key: 'rank', operator: 'Gt', values: ['4'] },
        { key: 'rank', operator: 'Lt', values: ['6'] },
        { key: zone, operator: 'Exists' },
        { key: 'lane', operator: 'DoesNotExist' }
      ],
      what
    );
  const company = (what: string) => {
    const wishes = [{ weight: one([1, 50, 100], what), podAffinityTerm: term(`${what} wish`) }];
    return {
      ...(drawInt(21, `${what} soft`, 0, 1) ? { preferredDuringSchedulingIgnoredDuringExecution: wishes } : {}),
      ...(drawInt(21, `${what} hard`, 0, 5) ? {} : { requiredDuringSchedulingIgnoredDuringExecution: [term(`${what} must`)] })
    };
  };
  const yes = (what: string, share = 2): boolean => drawInt(22, what, 0, share) === 0;
  const podNth = (nth: number): Pod => {
    const what = `pod ${nth}`;
    const app = one(apps, what);
    return {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: { name: `p${nth}`, namespace: 'default', labels: { app } },
      spec: {
        containers: [
          {
            name: 'main',
            image: 'shelf.standin.example/tools/t:1',
            resources: { requests: { cpu: one(['100m', '1', '3'], `${what} cpu`), memory: one(['64Mi', '6Gi'], `${what} memory`) } }
          }
        ],
        ...(yes(`${what} sel`, 4) ? { nodeSelector: { disk: one(['fast', 'steady'], `${what} disk`) } } : {}),
        ...(yes(`${what} tol`) ? { tolerations: [one([{ key: 'kept', operator: 'Exists' }, { operator: 'Exists' }], `${what} t`)] } : {}),
        ...(yes(`${what} spread`)
          ? {
              topologySpreadConstraints: [
                {
                  maxSkew: one([1, 2], `${what} skew`),
                  topologyKey: one([zone, host], `${what} over`),
                  whenUnsatisfiable: one(['DoNotSchedule', 'ScheduleAnyway'], `${what} when`),
                  labelSelector: { matchLabels: { app } }
                }
              ]
            }
          : {}),
        affinity: {
          ...(yes(`${what} node`)
            ? {
                nodeAffinity: {
                  ...(yes(`${what} n1`, 1)
                    ? {
                        requiredDuringSchedulingIgnoredDuringExecution: {
                          nodeSelectorTerms: [
                            { matchExpressions: [expression(`${what} e1`)] },
                            { matchExpressions: [expression(`${what} e2`)] }
                          ]
                        }
                      }
                    : {}),
                  preferredDuringSchedulingIgnoredDuringExecution: [
                    { weight: one([10, 100], `${what} w`), preference: { matchExpressions: [expression(`${what} e3`)] } }
                  ]
                }
              }
            : {}),
          ...(yes(`${what} with`) ? { podAffinity: company(`${what} with`) } : {}),
          ...(yes(`${what} apart`) ? { podAntiAffinity: company(`${what} apart`) } : {})
        }
      }
    } as unknown as Pod;
  };
  for (let nth = 0; nth < 90; nth += 1) {
    world.act({ type: 'send', objects: [podNth(nth)] });
    if (nth % 3 === 2) world.runUntil(world.nowMs + 5_000);
  }
  world.runSettled();
  expect(world.store.list('Pod', 'default').filter((pod) => pod.spec.nodeName).length).toBeGreaterThan(40);
});

/** A cluster of the demo once more, for something that alters it. */
const forkOf = (name: string): World => aside(() => World.restore(1, structuredClone(worldOf(name).save()) as Snapshot));

describe.each(demo.map((cluster) => cluster.name))('%s', (name) => {
  test('workloads cleaned up, with their data and without', () => {
    const sets = worldOf(name).store.list('StatefulSet').slice(0, 6);
    told(
      sets.flatMap(({ metadata }) =>
        [true, false].map((keeps) =>
          wordless(tryCleanUp(forkOf(name), metadata.namespace!, metadata.name, { data: keeps, copies: keeps }) ?? metadata.name)
        )
      ),
      1
    );
  });

  test('copies: figures, findings, what is gone back with; workloads beside others; members taken by force; when a set was touched', () => {
    const { store, journal } = worldOf(name);
    const rooms = roomsAhead(store);
    const plans = store.list('BackupPlan');
    const runs = store.list('BackupRun');
    const sets = store.list('StatefulSet');
    const returned = (run: string): unknown => plans.map((plan) => wordless(returnWay(store, plan, { run })));
    told(
      [
        ...plans.flatMap((plan) => [
          figuresOf(store, plan),
          claimsBack(store, plan),
          latestMs(store, plan),
          nextRunMs(store, plan),
          wordless(roomAhead(store, plan, rooms)),
          ...[{}, { run: 'none' }, ...[0.5, 0.8, 0.95, 2].map((share) => ({ toMs: Math.floor(store.nowMs * share) }))].map((wish) =>
            wordless(returnWay(store, plan, wish))
          )
        ]),
        ...runs.map((run) => [run.metadata.name, claimsFromSnapshots(store, run, run.spec.plan, 'beside'), returned(run.metadata.name)]),
        ...sets.flatMap(({ metadata }) => {
          const mine = plans.filter((plan) => plan.spec.workload === metadata.name && plan.metadata.namespace === metadata.namespace);
          return [
            wordless(judgeBackup(store, metadata.namespace!, metadata.name, mine, rooms)),
            besideObjects(store, metadata.namespace!, metadata.name, 'twin')
          ];
        }),
        ...store.list('Pod').map((pod) => wordless(forceRisks(store, pod))),
        ...sets.map((set) => lastTouchedMs(set, journal.changes))
      ],
      2
    );
  });
});

test.each([
  ['whole', {}],
  ['without its rights in north', { grants: ['north'] }],
  ['without access to west', { access: ['west'] }],
  [
    'over a link that loses much and carries no names',
    { linkOf: { 'east north': { lossPercent: 60, carries: { names: false, addresses: true } } } }
  ]
] as const)('several clusters, an operator over them: %s', (_label, leave) => {
  const estate = Estate.replay(operatedParts(leave), 400_000);
  const tellAll = (): void =>
    told(
      estate.clusters.flatMap((name) => {
        const { store } = estate.world(name)!;
        return [
          wordless([rightsTables(store), overWorkloads(store), linkedPairs(store), mayFollow(store)]),
          ...store.list('StatefulSet').flatMap(({ metadata }) => foreseen(store, metadata.namespace!, metadata.name)),
          ...toldOf(store, 3)
        ];
      })
    );
  tellAll();
  const policy = {
    apiVersion: 'networking.k8s.io/v1',
    kind: 'NetworkPolicy',
    metadata: { name: 'quiet', namespace: 'people' },
    spec: { podSelector: {}, policyTypes: ['Ingress'], ingress: [{ from: [{ ipBlock: { cidr: '10.80.0.0/16' } }] }] }
  } as unknown as ApiObject;
  if (estate.world('north')!.store.get('Namespace', '', 'people')) acted(estate.world('north')!, { type: 'send', objects: [policy] });
  estate.runUntil(estate.nowMs + 120_000);
  estate.runSettled();
  tellAll();
  played(() => Number(tryReach(estate.world('east')!).tookMs >= 0));
});

test('a set over several clusters, its answers drawn', () => {
  const estate = aside(() => Estate.replay(operatedParts(), 95_000));
  const { store } = estate.world('south')!;
  const blueprint = blueprintNamed('document-set')!;
  const start = firstAnswers(blueprint, store);
  const over = [
    'east 2, north 2, west 1',
    'east 2, east 1',
    'east',
    'east 0, north 3',
    'east 9, north 9',
    'east 2, nowhere 1',
    'east 12',
    '',
    'east 1, north 1, west 1, south 2'
  ];
  told(
    over.flatMap((text) =>
      ['hand', 'operator'].flatMap((by) => {
        const answers = { ...start, where: 'several', over: text, by };
        const faults = answerFaults(blueprint, answers, store);
        return [
          wordless(faults),
          ...(faults.length ? [] : [blueprint.objects(answers, (name) => `made-up-${name}`), wordless(blueprint.figures(answers))])
        ];
      })
    )
  );
});

/** What no form asks for: what other programs ask, and what nobody knows. */
const dos = [
  'copy',
  'drop',
  'delete',
  'log',
  'put-back',
  'rows',
  'health',
  'heal',
  'members',
  'topics',
  'groups',
  'make-account',
  'drop-account',
  'nothing known'
];
const values = [
  '',
  'one',
  'x'.repeat(300),
  '{"partitions":2}',
  '{"partitions":3,"replicas":2,"least":2}',
  '{"partitions":0}',
  '{"replicas":9}',
  '[["a","b"]]',
  '{'
];

test.each(blueprints.map(({ id }) => id))('whatever is asked of %s, with a member gone on the way, and of fewer or more members', (id) => {
  const { forms } = engineCards[id as EngineId];
  let acknowledged = 0;
  const size = blueprintNamed(id)!.questions.find(({ kind, range }) => kind === 'count' && range);
  for (const members of size ? [Math.max(size.range![0], 2), Math.min(size.range![1], 5)] : [0]) {
    const world = roomy({ nodes: 2 });
    must(
      world,
      { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'space' } } as ApiObject,
      ...answered(id, { namespace: 'space', name: 'one', ...(size ? { [size.id]: String(members) } : {}) })
    );
    world.runSettled();
    for (let nth = 0; nth < 240; nth += 1) {
      const what = `${id} ${members} ${nth}`;
      const some = <T>(from: readonly T[], field: string): object =>
        drawInt(31, `${what} ${field} there`, 0, 2) ? { [field]: one(from, `${what} ${field}`) } : {};
      const odd = {
        ...some(['a', 'b', 'boxes', 'boxes/x', 'lines', ''], 'key'),
        ...some(['boxes', 'lines', 'rows', '', ...forms.flatMap(({ fields }) => fields.map((field) => field.start))], 'place'),
        ...some(values, 'value'),
        ...some([0, 1, 3, 40], 'count'),
        ...some(['readers', ''], 'group'),
        ...some([0, 1, 9], 'version')
      };
      const form = one(forms, `${what} form`);
      const filled = form.fields.map(({ id: field, start, options }) => [
        field,
        options ? one(options, `${what} option`) : field === 'count' || field === 'bytes' ? Number(start) : start
      ]);
      const way = drawInt(31, `${what} op`, 0, 9);
      const op = way < 3 ? { do: one(dos, what), ...odd } : { do: form.do, ...Object.fromEntries(filled), ...(way < 5 ? odd : {}) };
      world.act({
        type: 'ask',
        namespace: 'space',
        id: `q${nth}`,
        ask: {
          workload: 'one',
          way: one(['inside', 'inside', 'outside', 'tunnel'] as const, `${what} way`),
          login: one(['right', 'right', 'right', 'wrong', 'none'] as const, `${what} login`),
          ...(drawInt(31, `${what} member`, 0, 4) ? {} : { member: `one-${nth % 3}` }),
          op
        }
      });
      world.runUntil(world.nowMs + 900);
      const pods = world.store.list('Pod', 'space');
      if (nth % 60 === 40 && pods.length) world.act({ type: 'remove', ref: refOf(pods[nth % pods.length]!) });
    }
    world.runUntil(world.nowMs + 60_000);
    acknowledged += world.store.list('Ask', 'space').filter(({ status }) => status?.outcome === 'acknowledged').length;
  }
  expect(acknowledged).toBeGreaterThan(20);
});
