/*
 * What we write, held against the cluster API's published schemas, in the reference package `kubernetes-models` 5.1.0
 * (made from the API's OpenAPI description). Known gaps of that package: it misses a missing serviceName, unknown fields, negative
 * replicas, mismatched selectors and bad names; its quantity pattern takes `1h`.
 */
import { load as loadYaml, loadAll } from 'js-yaml';
import fc from 'fast-check';
import { parse } from 'yaml';
import { describe, expect, test } from 'vitest';
import { asManifest, readManifests, writeManifests } from '$core/manifest';
import { kindEntries, type ApiObject } from '$core/model';
import { bytesOf } from '$core/shared';
import { driverGates, rootLine } from '$core/rootline';
import { installObjects, installs, sentByPerson, type World } from '$core/standin';
import { asLeft, bookingsSet, driver, must, south, southOrigin } from '../core/help';
import { scenario } from '../../src/lib/scenario';
import { validate } from './published';

/** Kinds of our own, and the snapshot kinds, whose published definitions are not in the package. */
const ours = ({ apiVersion }: ApiObject) =>
  /^(standin|engines\.standin)\.example\//.test(apiVersion) || apiVersion.startsWith('snapshot.storage.k8s.io/');

function mended(): World {
  const world = south();
  must(world, { type: 'send', objects: driver() });
  world.runSettled();
  return world;
}

describe('published schemas of the cluster API (kubernetes-models 5.1.0)', () => {
  test('the package does refuse what is wrong', () => {
    expect(() =>
      validate({ apiVersion: 'apps/v1', kind: 'StatefulSet', metadata: { name: 'a' }, spec: { replicas: 'three' } } as never)
    ).toThrow();
    expect(() => validate({ apiVersion: 'v1', kind: 'Pod', metadata: { name: 'a' }, spec: {} } as never)).toThrow();
  });

  test('the manifests taken out pass', () => {
    const world = mended();
    const out = kindEntries
      .flatMap((entry) => world.store.list(entry.kind) as ApiObject[])
      .filter(sentByPerson)
      .filter((one) => !ours(one))
      .map(asManifest);
    const read = readManifests(writeManifests(out)).objects;
    expect(read).toHaveLength(16);
    for (const { object } of read) expect(() => validate(object), `${object.kind} ${object.metadata.name}`).not.toThrow();
  });

  test('every object that the stand-in makes passes, at every moment of the story', () => {
    const world = mended();
    let checked = 0;
    for (const { after } of world.journal.changes) {
      if (!after || ours(after)) continue;
      expect(() => validate(after), `${after.kind} ${after.metadata.name}`).not.toThrow();
      checked += 1;
    }
    expect(checked).toBeGreaterThan(150);
  });

  test('so does every object of a pool that is built, and of shared files, claims and snapshots', () => {
    const harbour = asLeft('harbour');
    for (;;) {
      const gate = driverGates(harbour.store, 'pool.standin.example').find((one) => one.state === 'broken');
      if (!gate?.remedy?.manifests) break;
      must(harbour, { type: 'send', objects: gate.remedy.manifests });
      harbour.runSettled();
    }
    const kinds = new Set<string>();
    for (const world of [harbour, asLeft('north-quay')]) {
      for (const { after } of world.journal.changes) {
        if (!after || ours(after)) continue;
        expect(() => validate(after), `${after.kind} ${after.metadata.name}`).not.toThrow();
        kinds.add(after.kind);
      }
    }
    expect([...kinds]).toEqual(
      expect.arrayContaining(['Job', 'DaemonSet', 'Deployment', 'StorageClass', 'PersistentVolume', 'CSINode', 'VolumeAttachment'])
    );
  });

  test("the installs, the scenario's workloads and the remedies that are offered pass", () => {
    const all = [
      ...installs.flatMap(installObjects),
      ...scenario()
        .flatMap((one) => one.actions)
        .flatMap(({ action }) => (action.type === 'send' ? [...action.objects] : []))
    ];
    const remedies = rootLine(south().store, bookingsSet)!.joints.flatMap((one) => one.remedy?.manifests ?? []);
    for (const object of [...all, ...remedies].filter((one) => !ours(one)))
      expect(() => validate(object), `${object.kind} ${object.metadata.name}`).not.toThrow();
  });
});

describe('YAML (js-yaml 5 as a second parser)', () => {
  test('what we write means the same to it', () => {
    const world = mended();
    const out = kindEntries
      .flatMap((entry) => world.store.list(entry.kind) as ApiObject[])
      .filter(sentByPerson)
      .map(asManifest);
    const text = writeManifests(out);
    expect(loadAll(text)).toEqual(readManifests(text).objects.map((one) => one.object));
    expect(southOrigin().ground.length).toBeGreaterThan(5);
  });

  test('any text in a config map means the same to it', () => {
    const tricky = fc.oneof(
      fc.string(),
      fc.constantFrom(
        'yes',
        'No',
        'on',
        'null',
        '~',
        '1e3',
        '0x1F',
        '0o17',
        '017',
        '12:30:45',
        '1_000',
        '.inf',
        '<<',
        '=',
        '2001-01-01',
        '!!str',
        '&a',
        '*a'
      )
    );
    fc.assert(
      fc.property(tricky, (value) => {
        const object = { apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: 'a', namespace: 'b' }, data: { k: value } } as ApiObject;
        expect((loadYaml(writeManifests([object])) as { data: { k: string } }).data.k).toBe(value);
      })
    );
  });

  test('the same documents give the same values in both', () => {
    const documents = [
      'a: 1\nb: [x, "y", 3.5]\n',
      'a: |\n  two\n  lines\nb: >\n  folded\n  text\n',
      'a: &x {k: v}\nb: *x\n',
      '{"json": [true, null, 1e3]}\n',
      'a: ~\nb: "\\u00e9"\n'
    ];
    for (const text of documents) expect(loadYaml(text)).toEqual(parse(text));
  });
});

describe("the stand-in keeps the API's own words", () => {
  // Source: the cluster API's reference, PersistentVolumeClaimStatus.phase, PersistentVolumeStatus.phase, PodStatus.phase.
  const phases = {
    PersistentVolumeClaim: ['Pending', 'Bound', 'Lost'],
    PersistentVolume: ['Pending', 'Available', 'Bound', 'Released', 'Failed'],
    Pod: ['Pending', 'Running', 'Succeeded', 'Failed', 'Unknown']
  };
  test('phases are among those of the reference', () => {
    for (const { after } of mended().journal.changes) {
      const known = after && phases[after.kind as keyof typeof phases];
      if (known) expect(known).toContain((after as { status: { phase: string } }).status.phase);
    }
  });

  test('what a claim gets is never less than it asks for', () => {
    for (const claim of mended().store.list('PersistentVolumeClaim'))
      expect(bytesOf(claim.status!.capacity!.storage!)).toBeGreaterThanOrEqual(bytesOf(claim.spec.resources.requests.storage));
  });
});
