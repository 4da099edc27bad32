import type { Ref } from '../model';
import { jointIds } from './joints';
import { link } from './joints/link';
import { lineSentence } from './sentence';
import type { Joint, RootLine } from './chain';

/** A line as it is told from the export of one cluster. */
export interface LineOf {
  readonly cluster: string;
  readonly line: RootLine;
}

/** Who looks after a workload from another cluster, as the reader says, and what the export of that cluster tells of it. */
export interface OperatorLine extends Partial<Pick<LineOf, 'line'>> {
  readonly cluster: string;
  readonly ref: Ref;
}

/**
 * One line over the exports of several clusters that the reader says are linked: each with its own trunks and joints, and a link of which no
 * export tells whether it carries anything. What one export can't tell, another doesn't make up for.
 * @param own the cluster that was asked about, first
 * @param others those that have something of the same kind and name
 * @param linked all clusters that the reader says it is linked with
 */
export function joinLines(own: LineOf, others: readonly LineOf[], linked: readonly string[], operator?: OperatorLine): RootLine {
  const { subject, nowMs } = own.line;
  const cared = operator?.line ? [{ cluster: operator.cluster, line: operator.line }] : [];
  const all = [own, ...others, ...cared];
  const trunks = all.flatMap(({ cluster, line }) =>
    line.trunks.map((one) => ({ ...one, cluster, label: cared[0]?.line === line ? operatorLabel : one.label }))
  );
  let first = 0;
  const joints: Joint[] = all.flatMap(({ cluster, line }) => {
    const shift = first;
    first += line.trunks.length;
    return line.joints.map((one) => ({
      ...one,
      ...(cluster === own.cluster ? {} : { cluster }),
      // What mends something goes to the cluster that it is in.
      ...(one.remedy && cluster !== own.cluster ? { remedy: { ...one.remedy, in: one.remedy.in ?? cluster } } : {}),
      trunks: one.trunks.map((trunk) => trunk + shift)
    }));
  });
  const unseen = (joint: 'link' | 'resource', title: string, why: string, label: string, says: string, of: readonly number[]): Joint => ({
    joint,
    title,
    why,
    state: 'unseen',
    label,
    says,
    objects: [],
    evidence: [],
    trunks: of
  });
  const members = all.slice(0, 1 + others.length).reduce((sum, { line }) => sum + line.trunks.length, 0);
  const range = Array.from({ length: members }, (_, i) => i);
  const says = others.length
    ? `whether those in ${[own.cluster, ...others.map((one) => one.cluster)].join(' and ')} are one workload, and reach each other by name, no export tells`
    : `nothing of this name is in ${linked.join(' or ')}; whether calls come through to there no export tells`;
  const more = [unseen('link', link.title, link.why, `to ${linked.join(', ')}`, says, range)];
  if (operator && !operator.line) {
    const { kind, namespace, name } = operator.ref;
    const lacks = `${kind} ${namespace}/${name}, which looks after it, is not in the export of ${operator.cluster}`;
    more.push(unseen('resource', 'Looked after', operatorWhy, operator.cluster, lacks, range));
  }
  const rank = (one: Joint): number => jointIds.indexOf(one.joint);
  const sorted = [...joints, ...more].sort((a, b) => rank(a) - rank(b) || (a.trunks[0] ?? 0) - (b.trunks[0] ?? 0));
  return {
    subject,
    nowMs,
    trunks,
    joints: sorted,
    // Its own break first; then that of who looks after it; what only bears its name elsewhere comes last.
    firstBreak: [own, ...cared, ...others].map((one) => one.line.firstBreak).find((one) => one !== null) ?? null,
    ...(own.line.exported ? { exported: true } : {})
  };
}

/** Whether something about a workload is still to be told: only then a cause elsewhere is looked for. */
export const looksElsewhere = ({ joints }: RootLine): boolean =>
  joints.some((one) => ['broken', 'settling', 'waiting'].includes(one.state));

/** Such a line in one sentence: what its own export tells, else what is broken elsewhere, said of that. */
export function joinedSentence(own: LineOf, others: readonly LineOf[], operator: OperatorLine | undefined, over: RootLine): string {
  if (own.line.firstBreak !== null) return lineSentence(own.line);
  const { name } = own.line.subject;
  if (operator?.line && operator.line.firstBreak !== null)
    return `Who looks after ${name} is broken in ${operator.cluster}: ${lineSentence(operator.line)}`;
  const other = others.find((one) => one.line.firstBreak !== null);
  return other ? `${lineSentence(own.line)} In ${other.cluster}: ${lineSentence(other.line)}` : lineSentence(over);
}

/** What the trunks of an operator are called, which are no members. */
export const operatorLabel = 'operator';
const operatorWhy =
  'Where an operator in another cluster looks after a workload, nothing of it is made or mended while that operator is away.';
