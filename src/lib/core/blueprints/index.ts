import type { Facts } from '../model';
import { imageShelf, sharedFiles } from './files';
import { memoryStore } from './memory';
import { plainFaults } from './parts';
import { documentSet, multiPrimarySql, primaryStandbySql } from './sql';
import { logBroker } from './log';
import { objectStore, timeSeries } from './stores';
import type { AnswerFault, Answers, Blueprint } from './types';

export { answerEdits, briefsIn, readBack, startingAnswers, type FoundBrief, type ReadBack } from './read-back';
export { servedWithTls } from './serve-tls';
export { memoryOperatorObjects } from './memory';
export type { Answers, AnswerFault, Blueprint, DrawnRow, Figure, Ladder, Question, Remark } from './types';

/** All blueprints, in the order in which they are offered. */
export const blueprints: readonly Blueprint[] = [
  multiPrimarySql,
  primaryStandbySql,
  documentSet,
  logBroker,
  memoryStore,
  objectStore,
  timeSeries,
  sharedFiles,
  imageShelf
];

/** The blueprint of an id; undefined for one that doesn't ship. */
export const blueprintNamed = (id: string): Blueprint | undefined => blueprints.find((one) => one.id === id);

/** Answers to begin with: what each question starts from, with the cluster's own default class. */
export function firstAnswers(blueprint: Blueprint, facts: Facts): Answers {
  const classes = facts.list('StorageClass');
  const many = blueprint.id === 'shared-files';
  const fits = classes.filter((one) => many === one.provisioner.startsWith('files.'));
  const marked = fits.find((one) => one.metadata.annotations?.['storageclass.kubernetes.io/is-default-class'] === 'true');
  const start = (marked ?? fits[0] ?? classes[0])?.metadata.name ?? '';
  return Object.fromEntries(blueprint.questions.map((one) => [one.id, one.kind === 'class' ? start : one.start]));
}

/** A blueprint's sentence with what counts after these answers; with all of it where none are given. */
export const sentenceFor = ({ sentence }: Blueprint, answers?: Answers): string =>
  sentence.replace(/\[(\w+)=([\w|]+):([^\]]*)\]/g, (_, id: string, values: string, text: string) =>
    !answers || values.split('|').includes(answers[id] ?? '') ? text : ''
  );

/** Everything that is wrong with answers; nothing when manifests can be made of them. */
export function answerFaults(blueprint: Blueprint, answers: Answers, facts: Facts): AnswerFault[] {
  const plain = plainFaults(blueprint.questions, answers);
  return plain.length ? plain : (blueprint.faults?.(answers, facts) ?? []);
}
