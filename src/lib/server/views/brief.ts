import { answerEdits, blueprintNamed, briefsIn, readBack, startingAnswers, type Answers } from '$core/blueprints';
import { readWritten, type TextEdit } from '$core/manifest';
import { blueprintView } from './blueprint';
import type { Scene } from './scene';

interface Ask {
  readonly files: readonly { readonly name: string; readonly text: string }[];
  /** `namespace/name` of the workload in question, where a draft holds several. */
  readonly which?: string;
  /** Answers to begin reading with. */
  readonly known?: Answers;
  /** Answers that the text is to be brought to. */
  readonly to?: Answers;
  /** Random values for secrets that come along. */
  readonly secrets?: readonly string[];
}

/** The questions that a draft's manifests answer, and the edits that answer one of them otherwise. */
export function briefView(scene: Scene, { files, which, known, to, secrets = [] }: Ask) {
  const { objects: written } = readWritten(files);
  const objects = written.map((one) => one.object);
  const found = briefsIn(objects).filter((one) => blueprintNamed(one.blueprint));
  const brief = found.find((one) => `${one.namespace}/${one.name}` === which) ?? found[0];
  const blueprint = brief && blueprintNamed(brief.blueprint);
  const none = { found, sheet: null, apart: [] as readonly string[], edits: [] as TextEdit[] };
  if (!brief || !blueprint) return none;
  const back = readBack(blueprint, brief, objects, { ...startingAnswers(blueprint, scene.facts), ...known });
  const sheet = blueprintView(scene, { id: blueprint.id, answers: to ?? back.answers })!;
  if (!to || sheet.faults.length) return { ...none, sheet, apart: back.apart };
  let n = 0;
  const edits = answerEdits(blueprint, written, files, back.answers, to, () => secrets[n++] ?? '');
  return { found, sheet, apart: back.apart, edits };
}

export type BriefSheet = ReturnType<typeof briefView>;
