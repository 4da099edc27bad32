import { groundObjects, installObjects, installOf, type TimedAction } from '$core/standin';
import type { ApiObject } from '$core/model';
import { blockBackend, dirsBackend, filesBackend, groundOf, objectsOf } from './ground';
import { crewFork } from './crew';
import { chartroomYaml, leftoversYaml } from './files';
import { blueprintNamed, memoryOperatorObjects } from '$core/blueprints';
import {
  boardingOutsideYaml,
  bookingsYaml,
  brokersYaml,
  coordinatorsYaml,
  imageShelfYaml,
  plainBlockYaml,
  quayPlansYaml,
  steadyBlockYaml
} from './workloads';

export * from './files';
export * from './ground';
export * from './workloads';

/** A cluster of the scenario: its flag, its ground, what has been done to it, and how far its clock has run. */
export interface ScenarioCluster {
  readonly name: string;
  /** One of the woven patterns, with a hue in degrees. */
  readonly flag: { readonly hue: number; readonly weave: 'twill' | 'stripe' | 'check' | 'dots' };
  readonly note: string;
  readonly seed: number;
  readonly ground: readonly ApiObject[];
  readonly actions: readonly TimedAction[];
  readonly headMs: number;
  /** Forks that the demo begins with. */
  readonly forks?: readonly ScenarioFork[];
}

/** A fork of a cluster of the scenario: what was done in it, the trunk's actions up to its moment included. */
export interface ScenarioFork {
  readonly name: string;
  readonly forkedAtMs: number;
  readonly actions: readonly TimedAction[];
  readonly headMs: number;
}

const send = (atMs: number, yaml: string): TimedAction => ({ atMs, action: { type: 'send', objects: objectsOf(yaml) } });
const install = (atMs: number, driver: string): TimedAction => ({
  atMs,
  action: { type: 'send', objects: installObjects(installOf(driver)!) }
});
/** A blueprint's manifests, answered for the demo; passwords are made up. */
function answered(blueprint: string, answers: Record<string, string>): ApiObject[] {
  const found = blueprintNamed(blueprint)!;
  const all = { ...Object.fromEntries(found.questions.map((one) => [one.id, one.start])), ...answers };
  return found.objects(all, (name) => `made-up-for-the-demo-${name}-x7Qk2`);
}
const sendAll = (atMs: number, objects: readonly ApiObject[]): TimedAction => ({ atMs, action: { type: 'send', objects } });

/** `fares`: its operator asks for more than the nodes of south-quay have left for pods. */
const fares = (): ApiObject[] => [
  ...memoryOperatorObjects(['pricing'], '4', '14Gi'),
  ...answered('memory-store', { operator: 'there', class: 'steady-block' })
];

/** `crew`: its certificate lacks the name of one member. */
const crew = (): ApiObject[] =>
  answered('document-set', { class: 'desk-dirs', size: '4Gi', cpu: '250m', memory: '1Gi' }).map((one) =>
    one.kind === 'Certificate'
      ? { ...one, spec: { ...one.spec, names: one.spec.names.filter((name) => !name.startsWith('crew-2.')) } }
      : one
  );

/** `strongbox`: a small store on north-quay for the copies of `timetable`. */
const strongbox = (): ApiObject[] =>
  answered('object-store', {
    name: 'strongbox',
    namespace: 'keeps',
    bucket: 'timetable-copies',
    members: '4',
    volumes: '1',
    size: '20Gi',
    class: 'steady-block',
    parity: '1',
    cpu: '250m',
    memory: '1Gi',
    tls: 'off',
    encrypts: 'no'
  });

const minutes = (n: number) => n * 60_000;
const rented = { iops: 14_400, mbps: 720 };

const southQuay = (): ScenarioCluster => ({
  name: 'south-quay',
  flag: { hue: 312, weave: 'twill' },
  note: 'rented',
  seed: 4178,
  ground: groundObjects(
    groundOf({
      cluster: 'south-quay',
      pulls: 'any',
      octet: 61,
      groups: [
        { name: 'node-a', names: ['node-a1', 'node-a2'], zone: 'a', cpu: '3', memory: '12Gi', speed: rented },
        { name: 'node-b', names: ['node-b1', 'node-b2'], zone: 'b', cpu: '3', memory: '12Gi', speed: rented }
      ],
      backends: [
        blockBackend(
          'south-quay',
          [
            { name: 'a', capacity: '800Gi' },
            { name: 'b', capacity: '800Gi' }
          ],
          40
        )
      ],
      drivers: ['block.standin.example']
    })
  ),
  actions: [send(1_000, steadyBlockYaml), send(4_000, bookingsYaml), sendAll(9_000, fares())],
  headMs: 250_000
});

/** A volume that a workload of long ago left behind at the provider. */
const leftBehind: ApiObject = {
  apiVersion: 'standin.example/v1',
  kind: 'Asset',
  metadata: { name: 'blk-0051ea7d' },
  spec: {
    backend: 'north-quay-volumes',
    driver: 'block.standin.example',
    zone: 'b',
    size: '60Gi',
    fsType: 'ext4',
    requestName: 'pvc-of-a-cluster-that-was',
    owner: 0
  },
  status: { attachedTo: [] }
};

const northQuay = (): ScenarioCluster => ({
  name: 'north-quay',
  flag: { hue: 262, weave: 'stripe' },
  note: 'rented',
  seed: 4179,
  ground: [
    ...groundObjects(
      groundOf({
        cluster: 'north-quay',
        pulls: 'any',
        octet: 62,
        groups: ['a', 'b', 'c'].map((zone, i) => ({
          name: `zone-${zone}`,
          names: [`n-${i + 1}`, `n-${i + 4}`],
          zone,
          cpu: '6',
          memory: '40Gi',
          speed: rented
        })),
        backends: [
          blockBackend(
            'north-quay',
            ['a', 'b', 'c'].map((name) => ({ name, capacity: '1000Gi' })),
            40
          ),
          filesBackend('chart-files', ['a', 'b'], '172.22.0.0/24')
        ],
        drivers: ['block.standin.example', 'files.standin.example']
      })
    ),
    leftBehind
  ],
  actions: [
    install(1_000, 'block.standin.example'),
    send(2_000, `${steadyBlockYaml}---${plainBlockYaml}`),
    send(minutes(2), coordinatorsYaml),
    send(minutes(7), brokersYaml),
    send(minutes(11), boardingOutsideYaml),
    sendAll(
      minutes(11.5),
      answered('primary-standby-sql', { class: 'steady-block', synchronous: '0', size: '20Gi', cpu: '250m', memory: '1Gi' })
    ),
    install(minutes(12), 'files.standin.example'),
    send(minutes(14), chartroomYaml),
    send(minutes(15), leftoversYaml),
    sendAll(minutes(16), strongbox()),
    send(minutes(25), quayPlansYaml)
  ],
  headMs: minutes(400)
});

/** Where Saltmarsh Ferries' people log in; it knows the store of papers. */
const loginProvider: ApiObject = {
  apiVersion: 'standin.example/v1',
  kind: 'LoginProvider',
  metadata: { name: 'ferries-login' },
  spec: { issuer: 'https://login.ferries.example', audiences: ['papers'], reachable: true }
};

const harbour = (): ScenarioCluster => {
  const system = { size: '120Gi', holds: 'system' };
  const raw = { size: '720Gi' };
  const shed = { cpu: '12', memory: '48Gi', speed: { iops: 84_000, mbps: 1_900 } };
  const whole = { ...shed, disks: [system, raw, raw] };
  return {
    name: 'harbour',
    flag: { hue: 190, weave: 'check' },
    note: 'own hardware',
    seed: 4180,
    ground: [
      ...groundObjects(
        groundOf({
          cluster: 'harbour',
          octet: 63,
          groups: [
            { ...whole, name: 'shed-east', names: ['shed-1', 'shed-5'], zone: 'east-shed' },
            { ...shed, name: 'shed-2', names: ['shed-2'], zone: 'east-shed', disks: [system, raw, { ...raw, holds: 'file system' }] },
            { ...whole, name: 'shed-west', names: ['shed-3', 'shed-4'], zone: 'west-shed' },
            { ...shed, name: 'tower-1', names: ['tower-1'], zone: 'tower', disks: [system, raw, { size: '8Gi' }] },
            { ...whole, name: 'tower-2', names: ['tower-2'], zone: 'tower' }
          ]
        })
      ),
      loginProvider
    ],
    actions: [
      send(2_000, imageShelfYaml),
      sendAll(20_000, answered('object-store', { class: 'shed-pool' })),
      sendAll(30_000, answered('time-series', { class: 'shed-pool' }))
    ],
    headMs: minutes(5)
  };
};

const pilotHouse = (): ScenarioCluster => {
  const desks = ['desk-1', 'desk-2', 'desk-3'];
  return {
    name: 'pilot-house',
    flag: { hue: 70, weave: 'dots' },
    note: 'central',
    seed: 4181,
    ground: groundObjects(
      groundOf({
        cluster: 'pilot-house',
        octet: 64,
        control: { shape: 'small', quorum: 1, members: 1 },
        groups: [{ name: 'desk', names: desks, zone: 'house', cpu: '2', memory: '4Gi', disks: [{ size: '60Gi', holds: 'system' }] }],
        backends: [dirsBackend('pilot-house', desks, '24Gi')]
      })
    ),
    actions: [install(1_000, 'dirs.standin.example'), send(2_000, dirsClassYaml), sendAll(90_000, crew())],
    headMs: minutes(5)
  };
};

const dirsClassYaml = `
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: desk-dirs}
provisioner: dirs.standin.example
reclaimPolicy: Delete
volumeBindingMode: WaitForFirstConsumer
`;

/** Each cluster with its part of the rehearsal `crew`. */
function withFork(one: ScenarioCluster): ScenarioCluster {
  const fork = crewFork(one);
  return fork ? { ...one, forks: [fork] } : one;
}

/** Saltmarsh Ferries, an invented ferry company, and its four clusters. Everything is made up. */
export const scenario = (): ScenarioCluster[] => [southQuay(), harbour(), northQuay(), pilotHouse()].map(withFork);
