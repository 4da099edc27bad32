/*
 * What is told of many places, texts and answers, its words left out, stays as it was until somebody means to change it: digests of it are
 * held against those written down (tests/played-setup.ts). That each of it is right is shown elsewhere, by examples; here nothing moves unseen.
 */
import { describe, expect, test } from 'vitest';
import { answerFaults, blueprints, firstAnswers, briefsIn, readBack, type Answers } from '$core/blueprints';
import { changeSheet } from '$core/change';
import { rules } from '$core/checker';
import { completionAt, ephemeralDirs, leaveOut, liftables, moveNamespace, persist } from '$core/drafts';
import { assumptionsOf, compareDumps, groundOfDump } from '$core/dumps';
import { asManifest, readManifests, readWritten } from '$core/manifest';
import { keyOf, refOf, type ApiObject, type Kind } from '$core/model';
import { whatBecame, whatIsWrong } from '$core/rootline';
import { drawInt } from '$core/shared';
import { calculationNamed, calculations, put, sizedBy, taken, trendOf, type CalcId } from '$core/sizing';
import { Views, type Store } from '$core/standin';
import { cases } from '../fixtures/exports/cases';
import { ofEach, played } from '../played';
import { foundIn, toldOf, wordless } from '../told';
import { kept } from './kept';
import { demo, one, told, withOtherLeaf, worldOf } from './told-help';

describe.each(demo.map((cluster) => cluster.name))('%s', (name) => {
  test('root lines, gates and removals, at the end and on the way', () => {
    const world = worldOf(name);
    const views = new Views(world.journal);
    told([0.2, 0.45, 0.7, 0.9].flatMap((share) => toldOf(views.at(world.nowMs * share), 6)).concat(toldOf(world.store, 60)));
  });

  test('what a sheet says of objects sent otherwise', () => {
    const { store } = worldOf(name);
    const kinds = [
      'StatefulSet',
      'Deployment',
      'DaemonSet',
      'PersistentVolumeClaim',
      'StorageClass',
      'ConfigMap',
      'Service',
      'Namespace'
    ] as const;
    const objects = kinds.flatMap((kind) => store.list(kind as Kind) as ApiObject[]).slice(0, 60);
    told(
      objects.flatMap((object) =>
        [0, 1, 2].map((nth) =>
          wordless(changeSheet(store, [withOtherLeaf(asManifest(object), `${object.kind} ${object.metadata.name} ${nth}`)]))
        )
      )
    );
  });

  test('calculations taken from what stands, and put again with other slots', () => {
    const { store } = worldOf(name);
    const of = (store.list('StatefulSet') as ApiObject[]).map(({ metadata }) => ({ namespace: metadata.namespace!, name: metadata.name }));
    told(
      calculations.flatMap(({ id, slots }) =>
        of.slice(0, 8).flatMap((workload) => {
          const found = taken(store, id, workload);
          if (typeof found === 'string') return [id];
          const other = one(slots, `${id} ${workload.name}`);
          const written = { ...found.written, [other.id]: '2' };
          return [found.written, wordless(put(store, id, workload, written)), wordless(sizedBy(calculationNamed(id)!, found.written, {}))];
        })
      )
    );
  });
});

test('exports: root lines, what is wrong, what is supposed, what became of one in the next', () => {
  let before: Store | undefined;
  told(
    cases.flatMap(({ build }, i) => {
      const store = kept(build().docs);
      const last = before;
      before = store;
      return [
        ...toldOf(store, 2),
        wordless(whatIsWrong(store)),
        ...(i % 9
          ? []
          : [
              wordless(assumptionsOf(store)),
              groundOfDump(store, 1_700_000_000_000),
              last && [wordless(whatBecame(last, store)), wordless(compareDumps(last, store))]
            ])
      ];
    })
  );
});

/** A text with one of its lines left out, or with another value on it. */
const otherwise = (text: string, nth: number): string => {
  const lines = text.split('\n');
  const at = drawInt(5, `${text.length} ${nth}`, 0, lines.length - 1);
  const value = one(['7', '[]', '""', 'x', '-1', '{}', 'true', '10Gi'], `${nth} ${text}`);
  return lines.flatMap((line, i) => (i !== at ? [line] : nth % 3 === 0 ? [] : [line.replace(/: .*$/, `: ${value}`)])).join('\n');
};

test('findings of what is slightly otherwise than the examples of the rules', () => {
  told(
    rules.flatMap(({ bad, good, against }) => {
      const facts = against ? worldOf(against).store : undefined;
      return [bad, good].flatMap((text) => [text, ...[0, 1, 2, 3].map((nth) => otherwise(text, nth))].map((each) => foundIn(each, facts)));
    })
  );
});

test('what a brief says of drawn answers, what it writes, and what is read back from that', () => {
  const { store } = worldOf('south-quay');
  told(
    blueprints.flatMap((blueprint) => {
      const start = firstAnswers(blueprint, store);
      return Array.from({ length: 16 }, (_, nth): unknown[] => {
        const answers: Answers = Object.fromEntries(
          blueprint.questions.map(({ id, kind, range, options, start: first }) => {
            const what = `${blueprint.id} ${id} ${nth}`;
            if (drawInt(3, what, 0, 2)) return [id, start[id] ?? first];
            if (kind === 'count') return [id, String(drawInt(4, what, range![0] - (nth % 5 ? 0 : 1), range![1]))];
            if (options) return [id, one(options, what)[0]];
            return [id, kind === 'size' ? one(['1Gi', '20Gi', '3Ti', '900Mi', 'x'], what) : (start[id] ?? first)];
          })
        );
        const faults = answerFaults(blueprint, answers, store);
        if (faults.length) return [wordless(faults)];
        const objects = blueprint.objects(answers, (name) => `made-up-${name}`);
        return [
          ...objects,
          wordless([blueprint.figures(answers), blueprint.drawn?.(answers), blueprint.ladder?.(answers)]),
          ...briefsIn(objects).map((brief) => wordless(readBack(blueprint, brief, objects, start)))
        ];
      }).flat();
    })
  );
});

test('figures of calculations for drawn slots, ranges among them', () => {
  told(
    calculations.flatMap((calc) =>
      Array.from({ length: 14 }, (_, nth) => {
        const written = Object.fromEntries(
          calc.slots.map(({ id, unit, least, most, start }) => {
            const what = `${calc.id} ${id} ${nth}`;
            if (unit !== 'count')
              return [id, drawInt(3, what, 0, 24) ? start : `${start} to ${start.replace(/\d+/, (n) => String(Number(n) * 2))}`];
            return [id, String(drawInt(2, what, Math.max(0, least), Math.min(most, 12)))];
          })
        );
        return wordless(sizedBy(calculationNamed(calc.id as CalcId)!, written, { seed: nth }));
      })
    )
  );
  told(
    Array.from({ length: 12 }, (_, n) =>
      trendOf(Array.from({ length: n }, (_, i) => ({ atMs: i * 3_600_000, bytes: 1e9 + i * drawInt(1, `${n} ${i}`, 0, 9e6) })) as never)
    )
  );
});

test('drafts: what is proposed at the cursor, left out, moved, lifted into a table and given a volume', () => {
  const { store } = worldOf('south-quay');
  const texts = rules.slice(0, 40).map(({ good }) => good);
  told(
    texts.flatMap((text) => {
      const read = readWritten([{ text }]);
      const offsets = [0.1, 0.35, 0.6, 0.85].map((share) => Math.floor(text.length * share));
      return [
        ...offsets.map((offset) => wordless(completionAt(text, offset, [{ kind: 'Secret', namespace: 'space', name: 'keys' }] as never))),
        wordless(moveNamespace(read, 'space', 'elsewhere')),
        wordless(liftables(read.objects)),
        wordless(
          leaveOut(
            read,
            read.objects.slice(0, 1).map(({ object }) => keyOf(refOf(object))),
            store
          )
        )
      ];
    })
  );
  const makers = [...store.list('Deployment'), ...store.list('StatefulSet')];
  played(() =>
    ofEach(
      makers.flatMap((maker) => [
        ...ephemeralDirs(maker).map(({ volume }) =>
          wordless(
            persist(store, {
              ...refOf(maker),
              kind: maker.kind,
              volume,
              size: '4Gi',
              className: 'steady-block',
              mode: 'ReadWriteOnce'
            } as never)
          )
        ),
        maker.metadata.name
      ])
    )
  );
  expect(readManifests(texts.join('---\n')).objects.length).toBeGreaterThan(40);
});
