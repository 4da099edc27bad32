/*
 * What is told of what is odd: exports with a field left out or otherwise, objects bent in one or two places. As in told.test.ts digests are
 * held against those written down; that each is right is shown elsewhere.
 */
import fc from 'fast-check';
import { test } from 'vitest';
import { blueprints } from '$core/blueprints';
import { changeSheet } from '$core/change';
import { assumptionsOf, groundOfDump } from '$core/dumps';
import { logOf, phrases, scopeIn, scopeRows, verdictOf, verdictSays } from '$core/exports';
import { fitOf, needsOf } from '$core/fit';
import { asManifest, readManifests } from '$core/manifest';
import type { ApiObject } from '$core/model';
import { whatIsWrong } from '$core/rootline';
import { drawInt } from '$core/shared';
import { cases } from '../fixtures/exports/cases';
import { aside } from '../played';
import { foundIn, toldOf, wordless } from '../told';
import { kept } from './kept';
import { bent, change, seeds, set } from './odd';
import { answered, roomy } from './roomy';
import { demo, one, told, worldOf } from './told-help';

type Fields = Record<string | number, unknown>;

/** Takes one field of an object away, or puts another value into it; what it is called stays. */
function bend(object: unknown, what: string): void {
  const spots: [Fields, string | number][] = [];
  const walk = (at: Fields, top: boolean): void => {
    for (const field of Array.isArray(at) ? at.keys() : Object.keys(at)) {
      if (top && (field === 'apiVersion' || field === 'kind')) continue;
      if (!(field === 'name' && 'namespace' in at)) spots.push([at, field]);
      const value = at[field];
      if (typeof value === 'object' && value !== null) walk(value as Fields, false);
    }
  };
  walk(object as Fields, true);
  if (!spots.length) return;
  const [at, field] = one(spots, what);
  const was = at[field];
  const out = drawInt(6, what, 0, 9) < 6;
  if (out && Array.isArray(at)) at.splice(Number(field), 1);
  else if (out) delete at[field];
  else if (typeof was === 'number') at[field] = one([0, 1, was + 1, was * 5], `${what} n`);
  else if (typeof was === 'boolean') at[field] = !was;
  else if (typeof was === 'string') at[field] = /^\d{4}-/.test(was) ? '2026-10-01T08:00:00Z' : one(['', `${was}-x`, 'Failed'], `${what} s`);
  else at[field] = Array.isArray(was) ? [] : {};
}

test('exports with a field left out, or otherwise', () => {
  told(
    cases.flatMap(({ id, build, subject: [kind, name] }, i) =>
      [0, 1].flatMap((nth) => {
        const { docs } = build();
        const what = `${id} ${nth}`;
        const own = docs.filter((doc) => JSON.stringify(doc).includes(name));
        // Half of what is bent has to do with what was asked about.
        bend(one(nth % 2 && own.length ? own : docs, what), what);
        const store = kept(docs);
        const about = { kind, name };
        return [
          ...toldOf(store, nth ? 1 : 2),
          [about, wordless(whatIsWrong(store)), scopeRows(store, scopeIn(store))],
          ...((i + nth) % 5
            ? []
            : [wordless(assumptionsOf(store)), groundOfDump(store, 1_700_000_000_000, { missing: 'no', times: 'yes' })])
        ];
      })
    )
  );
});

test("the scheduler's messages, and whose a log is", () => {
  const said = [
    'persistentvolumeclaim "data-0" is being deleted',
    'persistentvolumeclaim "data-0" not found',
    'pod has unbound immediate PersistentVolumeClaims',
    'node(s) had volume node affinity conflict',
    "node(s) didn't find available persistent volumes to bind",
    'node(s) did not have enough free storage',
    'node(s) exceed max volume count',
    'node(s) were unschedulable',
    'node(s) had untolerated taint {standin.example/spare: yes}',
    'Too many pods',
    'Insufficient cpu',
    'Insufficient example.com/lane',
    "node(s) didn't match pod topology spread constraints",
    "node(s) didn't match pod anti-affinity rules",
    "node(s) didn't match pod affinity rules",
    "node(s) didn't match Pod's node affinity/selector",
    "node(s) didn't have free ports for the requested pod ports",
    'something else'
  ];
  told(
    Array.from({ length: 200 }, (_, nth) => {
      const parts = said.flatMap((text, i) => (drawInt(8, `${nth} ${i}`, 0, 5) ? [] : [`${drawInt(8, `${nth} n ${i}`, 1, 40)} ${text}`]));
      const head = nth % 5 ? `0/${nth} nodes are available: ` : '';
      const verdict = verdictOf(`${head}${parts.join(nth % 7 ? ', ' : '. ')}${nth % 3 ? '. preemption: 0/4 nodes are available.' : '.'}`);
      return [verdict, verdictSays(verdict)];
    })
  );
  told(phrases.map(([kind]) => kind));
  const paths = [
    'a/db-0.log',
    'a/space/db-0/main.log',
    'prev/db-0_main.log',
    'db-0-main.txt',
    'space_db-0.prev.log',
    'other/db-1/main.log'
  ];
  told(
    Array.from({ length: 40 }, (_, nth) => {
      const logs = paths.filter((_path, i) => drawInt(8, `${nth} ${i}`, 0, 1)).map((path) => ({ path, lines: [] }));
      return logOf({ scope: { logs } } as never, 'space', one(['db-0', 'db-1'], `${nth}`), one(['main', 'beside'], `c ${nth}`)) ?? nth;
    })
  );
});

test('objects bent in one or two places: what is read, found, and said of sending them', () => {
  const world = aside(() => {
    const made = roomy({ nodes: 1 });
    for (const seed of seeds) made.act({ type: 'send', objects: readManifests(JSON.stringify(seed)).objects.map((each) => each.object) });
    made.runUntil(made.nowMs + 120_000);
    return made;
  });
  told(
    fc.sample(bent, { numRuns: 700, seed: 29 }).map((value) => {
      const text = JSON.stringify(value);
      const { objects, problems } = readManifests(text);
      const list = objects.map((each) => each.object);
      return [wordless(problems), foundIn(text, world.store), problems.length ? 0 : wordless(changeSheet(world.store, list))];
    })
  );
});

test('objects of the demo with fields put in, or otherwise: what a sheet says of sending them', () => {
  const changes = fc.sample(change, { numRuns: 900, seed: 31 });
  let nth = 0;
  told(
    demo.flatMap(({ name }) => {
      const { store } = worldOf(name);
      const kinds = [
        'StatefulSet',
        'Deployment',
        'PersistentVolumeClaim',
        'PersistentVolume',
        'StorageClass',
        'Service',
        'Namespace',
        'Node'
      ];
      const more = [
        'Pod',
        'ConfigMap',
        'PodDisruptionBudget',
        'BackupPlan',
        'Mirror',
        'Pool',
        'Outage',
        'Topic',
        'Certificate',
        'NetworkPolicy'
      ];
      return [...kinds, ...more].flatMap((kind) =>
        (store.list(kind as 'Pod') as ApiObject[]).slice(0, 5).flatMap((object) =>
          [0, 1].map(() => {
            const sent = structuredClone(asManifest(object)) as unknown as Record<string, unknown>;
            const [field, value] = changes[(nth += 1) % changes.length]!;
            set(sent, field, value);
            const { objects, problems } = readManifests(JSON.stringify(sent));
            return [
              wordless(problems),
              problems.length
                ? 0
                : wordless(
                    changeSheet(
                      store,
                      objects.map((each) => each.object)
                    )
                  )
            ];
          })
        )
      );
    })
  );
});

test('exports that something is to be brought to: what fits, and what a sheet says', () => {
  const { store } = worldOf('south-quay');
  const asked = blueprints.map(({ id }) => answered(id, { namespace: 'space', name: 'two' }));
  const needed = asked.map((list) => needsOf(store, list, {}));
  told(
    cases.flatMap(({ build }, i) => {
      if (i % 5) return [];
      const there = kept(build().docs);
      const nth = (i / 5) % asked.length;
      return [wordless(fitOf(there, needed[nth]!, asked[nth]!)), wordless(changeSheet(there, asked[nth]!))];
    })
  );
});
