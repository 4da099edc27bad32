import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { answerEdits, answerFaults, blueprints, briefsIn, readBack, type Answers, type Blueprint } from '$core/blueprints';
import { applyEdits, readManifests, readWritten, writeManifests } from '$core/manifest';
import type { ApiObject } from '$core/model';
import { stableJson } from '$core/shared';
import { roomy } from './roomy';
import { rounds } from '../rounds';

const world = roomy();
const value = 'made-when-it-is-sent';
const plain = (blueprint: Blueprint, answers: Answers) => blueprint.objects(answers, () => value);
// Made once: building them takes longer than drawing from them.
const names = fc.stringMatching(/^[a-w][a-w0-9]{2,9}$/);
const domains = fc.stringMatching(/^[a-w]{3,8}\.test$/);
/** Some answers that are right together. */
function answersOf(blueprint: Blueprint): fc.Arbitrary<Answers> {
  const each = blueprint.questions.map((one) => {
    const some = {
      name: names,
      domain: domains,
      text: one.start.startsWith('https:') ? fc.constantFrom(one.start, 'https://who.test') : fc.constantFrom('250m', '1', '2', '1500m'),
      size: fc.constantFrom('10Gi', '24Gi', '3Ti', '512Mi'),
      class: fc.constantFrom('steady-block', 'shared', 'other'),
      count: fc.integer({ min: one.range?.[0] ?? 0, max: Math.min(one.range?.[1] ?? 0, 7) }).map(String),
      choice: fc.constantFrom(...(one.options ?? [['', '']]).map(([key]) => key))
    }[one.kind] as fc.Arbitrary<string>;
    return some.map((answer) => [one.id, answer] as const);
  });
  return fc
    .tuple(...each)
    .map((pairs) => Object.fromEntries(pairs) as Answers)
    .filter((answers) => answerFaults(blueprint, answers, world.store).length === 0);
}
const unkeyed = (objects: readonly ApiObject[]) => objects.map((one) => stableJson(one)).sort();
const start = (blueprint: Blueprint): Answers =>
  Object.fromEntries(blueprint.questions.map((one) => [one.id, one.kind === 'class' ? 'steady-block' : one.start]));

describe.each(blueprints.map((one) => [one.id, one] as const))('%s', (_, blueprint) => {
  it('what its answers wrote is read back as answers that write the same', () => {
    fc.assert(
      fc.property(answersOf(blueprint), (answers) => {
        const objects = readManifests(writeManifests(plain(blueprint, answers))).objects.map((one) => one.object);
        const [brief] = briefsIn(objects);
        expect(brief).toEqual({ blueprint: blueprint.id, name: answers.name, namespace: answers.namespace });
        const back = readBack(blueprint, brief!, objects, start(blueprint));
        expect(back.apart).toEqual([]);
        expect(unkeyed(plain(blueprint, back.answers))).toEqual(unkeyed(plain(blueprint, answers)));
      }),
      { numRuns: rounds(2, 12), seed: 7 }
    );
  });

  it('other answers change in the text what they have to, and nothing that was written by hand', () => {
    fc.assert(
      fc.property(answersOf(blueprint), answersOf(blueprint), (from, to) => {
        const byHand = 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: by-hand, namespace: elsewhere}\ndata: {note: kept}\n';
        const text = `# for the night shift\n${byHand}---\n${writeManifests(plain(blueprint, from))}`;
        const files = [{ name: 'a.yaml', text }];
        const edits = answerEdits(blueprint, readWritten(files).objects, files, from, to, () => value);
        const after = applyEdits(text, edits);
        expect(after.startsWith(`# for the night shift\n${byHand.trimEnd()}`)).toBe(true);
        const { objects, problems } = readManifests(after);
        expect(problems).toEqual([]);
        const written = objects.map((one) => one.object).filter((one) => one.metadata.name !== 'by-hand');
        expect(unkeyed(readManifests(writeManifests(written)).objects.map((one) => one.object))).toEqual(
          unkeyed(readManifests(writeManifests(plain(blueprint, to))).objects.map((one) => one.object))
        );
      }),
      { numRuns: rounds(2, 12), seed: 7 }
    );
  });

  it('what is written by hand is told, stays whatever is answered then, and changes no other answer', () => {
    type Tree = { [key: string]: unknown };
    const fromStart = start(blueprint);
    const objects = readManifests(writeManifests(plain(blueprint, fromStart))).objects.map((one) => one.object);
    const counts = blueprint.questions.filter((one) => one.kind === 'count');
    fc.assert(
      fc.property(fc.nat(), fc.stringMatching(/^[a-z]{3,9}$/), fc.nat(), (nth, note, which) => {
        // A note on one of the objects, as somebody would leave one.
        const at = nth % objects.length;
        const noted = objects.map((one, i) =>
          i === at
            ? ({
                ...one,
                metadata: { ...one.metadata, annotations: { ...one.metadata.annotations, 'example.test/note': note } }
              } as ApiObject)
            : one
        );
        const [brief] = briefsIn(noted);
        const back = readBack(blueprint, brief!, noted, fromStart);
        expect(back.answers).toEqual(fromStart);
        const { kind, metadata } = objects[at]!;
        expect(back.apart).toEqual([
          `${kind} ${metadata.namespace ? `${metadata.namespace}/` : ''}${metadata.name}: metadata.annotations.example.test/note`
        ]);
        const question = counts[which % Math.max(1, counts.length)];
        const other = question && String(Number(fromStart[question.id]) + (Number(fromStart[question.id]) < question.range![1] ? 1 : -1));
        const to = question ? { ...fromStart, [question.id]: other! } : fromStart;
        if (answerFaults(blueprint, to, world.store).length) return;
        const files = [{ name: 'a.yaml', text: writeManifests(noted) }];
        const after = readManifests(
          applyEdits(
            files[0]!.text,
            answerEdits(blueprint, readWritten(files).objects, files, fromStart, to, () => value)
          )
        );
        const kept = after.objects.filter((one) => (one.object.metadata.annotations as Tree | undefined)?.['example.test/note'] === note);
        // An object that the new answers don't have goes with its note.
        const goes = !plain(blueprint, to).some((one) => one.kind === kind && one.metadata.name === metadata.name);
        expect(kept.length).toBe(goes ? 0 : 1);
      }),
      { numRuns: rounds(4, 16), seed: 5 }
    );
  });
});
