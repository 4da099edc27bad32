import { installObjects, installOf, type TimedAction } from '$core/standin';
import type { ApiObject } from '$core/model';
import { blockBackendYaml, groundYaml, objectsOf } from './ground';
import { bookingsYaml, brokersYaml, coordinatorsYaml, imageShelfYaml, plainBlockYaml, steadyBlockYaml } from './workloads';

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
}

const send = (atMs: number, yaml: string): TimedAction => ({ atMs, action: { type: 'send', objects: objectsOf(yaml) } });
const sendObjects = (atMs: number, objects: readonly ApiObject[]): TimedAction => ({ atMs, action: { type: 'send', objects } });
const blockDriver = () => installObjects(installOf('block.standin.example')!);
const minutes = (n: number) => n * 60_000;

const southQuay = (): ScenarioCluster => ({
  name: 'south-quay',
  flag: { hue: 312, weave: 'twill' },
  note: 'rented',
  seed: 4178,
  ground: objectsOf(
    groundYaml({
      cluster: 'south-quay',
      octet: 61,
      groups: [
        { names: ['node-a1', 'node-a2'], zone: 'a', cpu: '4', memory: '16Gi' },
        { names: ['node-b1', 'node-b2'], zone: 'b', cpu: '4', memory: '16Gi' }
      ]
    }) +
      '---' +
      blockBackendYaml(
        'south-quay',
        [
          { name: 'a', capacity: '800Gi' },
          { name: 'b', capacity: '800Gi' }
        ],
        40
      )
  ),
  actions: [send(1_000, steadyBlockYaml), send(4_000, bookingsYaml)],
  headMs: 250_000
});

const northQuay = (): ScenarioCluster => ({
  name: 'north-quay',
  flag: { hue: 262, weave: 'stripe' },
  note: 'rented',
  seed: 4179,
  ground: objectsOf(
    groundYaml({
      cluster: 'north-quay',
      octet: 62,
      groups: ['a', 'b', 'c'].map((zone, i) => ({ names: [`n-${i + 1}`], zone, cpu: '4', memory: '64Gi' }))
    }) +
      '---' +
      blockBackendYaml(
        'north-quay',
        ['a', 'b', 'c'].map((name) => ({ name, capacity: '1000Gi' })),
        40
      )
  ),
  actions: [
    sendObjects(1_000, blockDriver()),
    send(2_000, `${steadyBlockYaml}---${plainBlockYaml}`),
    send(minutes(2), coordinatorsYaml),
    send(minutes(7), brokersYaml)
  ],
  headMs: minutes(14)
});

const harbour = (): ScenarioCluster => ({
  name: 'harbour',
  flag: { hue: 190, weave: 'check' },
  note: 'own hardware',
  seed: 4180,
  ground: objectsOf(
    groundYaml({
      cluster: 'harbour',
      octet: 63,
      groups: [
        { names: ['shed-1', 'shed-2'], zone: 'east-shed', cpu: '8', memory: '32Gi' },
        { names: ['shed-3', 'shed-4'], zone: 'west-shed', cpu: '8', memory: '32Gi' },
        { names: ['tower-1'], zone: 'tower', cpu: '8', memory: '32Gi' }
      ]
    })
  ),
  actions: [send(2_000, imageShelfYaml)],
  headMs: minutes(5)
});

const pilotHouse = (): ScenarioCluster => ({
  name: 'pilot-house',
  flag: { hue: 70, weave: 'dots' },
  note: 'central',
  seed: 4181,
  ground: objectsOf(
    groundYaml({
      cluster: 'pilot-house',
      octet: 64,
      groups: [{ names: ['desk-1', 'desk-2', 'desk-3'], zone: 'house', cpu: '2', memory: '4Gi' }]
    })
  ),
  actions: [],
  headMs: minutes(5)
});

/** Saltmarsh Ferries, an invented ferry company, and its four clusters. Everything is made up. */
export const scenario = (): ScenarioCluster[] => [southQuay(), harbour(), northQuay(), pilotHouse()];
