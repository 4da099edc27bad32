import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { expect, test } from 'vitest';
import { digestOf, stableJson } from '$core/shared';
import { engineVersion, replay, type World } from '$core/standin';
import { scenario } from '../../src/lib/scenario';

/** SHA-256 over the changes of the demo's clusters, by the version of the engine that made them. */
const golden = {
  engine: '19',
  journals: {
    'south-quay': 'ef98ec37b9d65d8b3a5e',
    harbour: '714182f762f58086b1f1',
    'north-quay': '8718cb1d256f9ab3bb7e',
    'pilot-house': '67c4358e72cc7e4d9513'
  }
} as const;

const hashOf = ({ journal }: World): string =>
  bytesToHex(digestOf(utf8ToBytes(journal.changes.map(({ atMs, key, after }) => `${atMs} ${key} ${stableJson(after)}\n`).join('')))).slice(
    0,
    20
  );

const worlds = scenario().map((one) => [one.name, replay({ seed: one.seed, ground: one.ground }, one.actions, one.headMs)] as const);

test('the same actions come to the same journals; whoever changes that raises engineVersion, and writes the new hashes down here', () => {
  expect({ engine: engineVersion, journals: Object.fromEntries(worlds.map(([name, world]) => [name, hashOf(world)])) }).toEqual(golden);
});

/** Calls of loops that the demo's clusters take. Fewer are welcome, and are written down here. */
const calls: Readonly<Record<string, number>> = { 'south-quay': 50, harbour: 127, 'north-quay': 1_244, 'pilot-house': 157 };

test('no loop is woken for nothing: as many calls as it takes, and no more (of odd objects: rest.test.ts)', () => {
  for (const [name, world] of worlds) expect.soft(world.calls, name).toBe(calls[name]);
});
