import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { expect, test } from 'vitest';
import { digestOf, stableJson } from '$core/shared';
import { engineVersion, replay, type World } from '$core/standin';
import { scenario } from '../../src/lib/scenario';

/** SHA-256 over the changes of the demo's clusters, by the version of the engine that made them. */
const golden = {
  engine: '17',
  journals: {
    'south-quay': 'ef98ec37b9d65d8b3a5e',
    harbour: '714182f762f58086b1f1',
    'north-quay': 'd8bde3eee320863d8561',
    'pilot-house': '4ac83e294eadd24419f8'
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
