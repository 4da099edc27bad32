/*
 * What is foreseen, proposed and refused before anything is done: faults of drills, moves, fits, designs, layouts. As in told.test.ts
 * digests are held against those written down, so that nothing of it moves unseen; that each is right is shown elsewhere, by examples.
 */
import { test } from 'vitest';
import { blueprints } from '$core/blueprints';
import { designClass, proposeCluster } from '$core/briefs';
import { changeSheet, restoreSheet } from '$core/change';
import { rules } from '$core/checker';
import { supposedHere } from '$core/dumps';
import { overWorkloads, rightsTables } from '$core/estate';
import { fitOf, fitRows, needsOf } from '$core/fit';
import { readManifests, writeManifests } from '$core/manifest';
import { movesTo } from '$core/moving';
import { supplyGates } from '$core/rootline';
import { drawInt } from '$core/shared';
import { billOf, exampleList, freeRooms, nodeSpeed, readPrices, speedCurve, takenNodes, type Prices } from '$core/sizing';
import { emptyingSheet, Estate, layoutFaults, type EstatePart, type World } from '$core/standin';
import { aside } from '../played';
import { foundIn, wordless } from '../told';
import { answered, must, roomy } from './roomy';
import { objects } from './help';
import { demo, foreseen, one, told, withOtherLeaf, worldOf } from './told-help';

const clusters = demo.map(({ name }) => name);

test('faults on all workloads of the demo', () => {
  told(
    clusters.flatMap((name) => {
      const { store } = worldOf(name);
      return store.list('StatefulSet').flatMap(({ metadata }) => foreseen(store, metadata.namespace!, metadata.name));
    })
  );
});

/** A workload of each blueprint, all of it ready, beside a gap: a member, a zone or a node less. */
const stood = new Map<string, World>();
const standing = (id: string): World => {
  let world = stood.get(id);
  if (!world)
    stood.set(
      id,
      (world = aside(() => {
        const made = roomy({ nodes: 2 });
        must(
          made,
          ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'),
          ...answered(id, { namespace: 'space', name: 'one' })
        );
        made.runSettled();
        return made;
      }))
    );
  return world;
};

test.each(blueprints.map(({ id }) => id))('faults, fit, findings and sheets of %s', (id) => {
  const world = standing(id);
  told(foreseen(world.store, 'space', 'one'));
  const asked = answered(id, { namespace: 'space', name: 'two' });
  told(
    clusters.flatMap((name) => {
      const there = worldOf(name).store;
      const plain = needsOf(world.store, asked, {});
      const strict = Object.fromEntries(plain.claims.map(({ className }) => [className, { grows: true, keeps: true, encrypts: true }]));
      return [plain, needsOf(world.store, asked, strict)].flatMap((needs) => [
        wordless(needs),
        wordless(fitRows(needs, asked)),
        wordless(fitOf(there, needs, asked))
      ]);
    })
  );
  told(
    clusters.flatMap((name, nth) => {
      const there = worldOf(name).store;
      const sent = asked.map((object, i) => (i % clusters.length === nth ? withOtherLeaf(object, `${id} ${name} ${i}`) : object));
      return [wordless(changeSheet(there, sent)), foundIn(writeManifests(sent), there)];
    }),
    3
  );
  const away = world.store.list('Pod', 'space').slice(0, 1);
  for (const pod of away) world.act({ type: 'remove', ref: { kind: 'Pod', namespace: 'space', name: pod.metadata.name } });
  world.runUntil(world.nowMs + 300);
  told(foreseen(world.store, 'space', 'one'));
});

test('what texts need, and where they fit', () => {
  const home = worldOf('south-quay').store;
  told(
    rules.slice(0, 70).flatMap(({ good }) => {
      const list = readManifests(good).objects.map(({ object }) => object);
      const needs = needsOf(home, list, {});
      return [
        wordless(needs),
        wordless(proposeCluster('made-up', list)),
        ...clusters.map((name) => wordless(fitOf(worldOf(name).store, needs, list)))
      ];
    })
  );
});

test('classes designed, layouts with one value otherwise, nodes emptied, speeds, rooms and bills', () => {
  const yes = (what: string): boolean => drawInt(9, what, 0, 1) === 1;
  told(
    clusters.flatMap((name) => {
      const { store } = worldOf(name);
      const grounds = demo.find((cluster) => cluster.name === name)!.ground.filter((object) => object.kind === 'Ground');
      return [
        ...Array.from({ length: 24 }, (_, nth) => {
          const what = `${name} ${nth}`;
          return wordless(
            designClass(store, {
              name: 'made',
              users: yes(`${what} users`) ? 'one' : 'many',
              grow: yes(`${what} grow`),
              keep: yes(`${what} keep`),
              encrypt: drawInt(9, `${what} encrypt`, 0, 3) === 0,
              fsType: one(['any', 'any', 'ext4', 'xfs'] as const, `${what} fs`),
              speed: one(['steady', 'fast', 'cheap'] as const, `${what} speed`),
              isDefault: yes(`${what} default`)
            })
          );
        }),
        ...store.list('StorageClass').map((each) => wordless(supplyGates(store, each))),
        ...store.list('Node').flatMap(({ metadata }) => [true, false].map((loses) => emptyingSheet(store, metadata.name, loses))),
        ...store
          .list('PersistentVolumeClaim')
          .slice(0, 12)
          .map(({ metadata }) =>
            wordless(restoreSheet(store, { namespace: metadata.namespace!, claim: metadata.name, snapshot: 'none' } as never))
          ),
        ...grounds.flatMap((ground) =>
          Array.from({ length: 40 }, (_, nth) => layoutFaults(withOtherLeaf(ground, `${name} ${nth}`) as never))
        ),
        wordless(supposedHere(store)),
        ...store.list('Backend').flatMap((backend) => ['steady', 'fast', 'other'].map((kind) => speedCurve(backend, kind))),
        ...store.list('Node').map(nodeSpeed),
        freeRooms(store),
        wordless(billOf(store, readPrices(exampleList(store)) as Prices)),
        ...[undefined, ...store.list('StatefulSet').map(({ metadata }) => ({ namespace: metadata.namespace!, name: metadata.name }))].map(
          (workload) => wordless(takenNodes(store, workload))
        )
      ];
    })
  );
});

test('over clusters: rights, workloads, moves from each to each', () => {
  const estate = aside(() =>
    Estate.replay(
      new Map(
        demo.map((cluster): [string, EstatePart] => [
          cluster.name,
          { origin: { seed: cluster.seed, ground: cluster.ground }, actions: cluster.forks![0]!.actions }
        ])
      ),
      990_000
    )
  );
  told(
    clusters.flatMap((name) => {
      const { store } = estate.world(name)!;
      const sets = [...store.list('StatefulSet'), ...store.list('DocumentSet')];
      return [
        wordless(rightsTables(store)),
        wordless(overWorkloads(store)),
        ...sets.flatMap(({ metadata }) =>
          clusters.filter((to) => to !== name).map((to) => wordless(movesTo(store, metadata.namespace!, metadata.name, to)))
        )
      ];
    })
  );
});
