import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { expect, test } from 'vitest';
import { digestOf, stableJson } from '$core/shared';
import { engineVersion, replay, type World } from '$core/standin';
import { scenario } from '../../src/lib/scenario';

/** SHA-256 over the changes of the demo's clusters, by the version of the engine that made them. */
const golden = {
  engine: '9',
  journals: {
    'south-quay': '91bfeb22748cc3e90b13',
    harbour: 'b09cf0aff33f190a86df',
    'north-quay': '1411c046d011c9bc22ff',
    'pilot-house': '25822020f73cec536645'
  }
} as const;

const hashOf = ({ journal }: World): string =>
  bytesToHex(digestOf(utf8ToBytes(journal.changes.map(({ atMs, key, after }) => `${atMs} ${key} ${stableJson(after)}\n`).join('')))).slice(
    0,
    20
  );

test('the same actions come to the same journals; whoever changes that raises engineVersion, and writes the new hashes down here', () => {
  const journals = Object.fromEntries(
    scenario().map((one) => [one.name, hashOf(replay({ seed: one.seed, ground: one.ground }, one.actions, one.headMs))])
  );
  expect({ engine: engineVersion, journals }).toEqual(golden);
});
