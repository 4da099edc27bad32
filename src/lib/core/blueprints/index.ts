import type { ApiObject, Facts } from '../model';
import { partOfLabel } from '../standin';
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
  const starts = Object.fromEntries(blueprint.questions.map((one) => [one.id, one.kind === 'class' ? start : one.start]));
  const name = freeName(facts, starts.namespace ?? '', starts.name ?? '');
  if (name === starts.name) return starts;
  // Names outside are its own too, so that nobody is led to the workload that stands there.
  const domains = blueprint.questions.filter((one) => one.kind === 'domain').map((one) => one.id);
  // What it makes beside itself stands in the namespace under a name of its own.
  const beside = blueprint.questions.filter((one) => one.kind === 'name' && !['name', 'namespace'].includes(one.id)).map((one) => one.id);
  return {
    ...starts,
    name,
    ...Object.fromEntries(domains.map((id) => [id, starts[id]!.replace(starts.name!, name)])),
    ...Object.fromEntries(beside.map((id) => [id, freeBeside(facts, starts.namespace ?? '', starts[id]!)]))
  };
}

const besideKinds = ['Topic', 'Account', 'MemoryDatabase'] as const;
/** A name under which no object stands that a workload makes beside itself. */
function freeBeside(facts: Facts, namespace: string, wanted: string): string {
  for (let i = 1; ; i += 1) {
    const name = i === 1 ? wanted : `${wanted}-${i}`;
    if (!besideKinds.some((kind) => facts.get(kind, namespace, name))) return name;
  }
}

const namedKinds = ['StatefulSet', 'Deployment', 'DaemonSet', 'MemoryCluster', 'DocumentSet'] as const;

/** A workload's name that nothing in a namespace bears yet: the one that is wanted, or that with the next free number. */
function freeName(facts: Facts, namespace: string, wanted: string): string {
  const parts = namedKinds.flatMap((kind) => facts.list(kind, namespace) as readonly ApiObject[]);
  const taken = new Set(parts.flatMap((one) => [one.metadata.name, one.metadata.labels?.[partOfLabel] ?? one.metadata.name]));
  // A workload of several parts bears its name in front of theirs.
  const free = (name: string) =>
    !taken.has(name) && ![...taken].some((one) => one.startsWith(`${name}-`) && !/^-\d+$/.test(one.slice(name.length)));
  if (free(wanted)) return wanted;
  for (let i = 2; ; i += 1) if (free(`${wanted}-${i}`)) return `${wanted}-${i}`;
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
