import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { expect, test } from 'vitest';
import { createApp } from '$server/services/app';
import { folder, value } from './own';

test('data of the release before open: rehearsals are rebuilt from their actions, forks and drafts are there, nothing is broken', async () => {
  const data = folder();
  writeFileSync(join(data, 'root-barn.sqlite'), gunzipSync(readFileSync('tests/fixtures/data-engine-7.sqlite.gz')));
  const app = await createApp({ data });
  expect((await app.estate()).map((one) => [one.name, one.fault])).toEqual(
    ['south-quay', 'harbour', 'north-quay', 'pilot-house'].map((name) => [name, null])
  );
  // There the driver had been sent and its clock run until all came to rest; the fork had one action more.
  const pods = await value(app.rehearsals.ask('south-quay', 'objects', { kind: 'Pod', namespace: 'tickets' }));
  expect(pods.map((one) => one.metadata.name)).toEqual(['bookings-0', 'bookings-1', 'bookings-2']);
  expect((await value(app.rehearsals.state('south-quay'))).clock.actions).toBe(4);
  expect((await value(app.rehearsals.state('south-quay~side'))).clock.actions).toBe(5);
  expect(await value(app.rehearsals.ask('south-quay~side', 'objects', { kind: 'ConfigMap', name: 'one' }))).toHaveLength(1);
  expect(await app.drafts.of('south-quay')).toMatchObject([{ name: 'kept', files: [{ name: 'a.yaml' }] }]);
  expect((await app.rehearsals.undo('south-quay~side')).ok).toBe(true);
  await app.close();
});
