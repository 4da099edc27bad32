import type { Joint, RootLine } from './chain';

/** The first break's joint, or undefined. */
export const breakOf = (line: RootLine): Joint | undefined => line.joints.find((one) => one.state === 'broken');

const causes: Partial<Record<Joint['joint'], (joint: Joint) => string>> = {
  target: (joint) => joint.says.replace(/^(zone .*): no/, '$1 has no'),
  driver: (joint) =>
    /^not installed/.test(joint.says)
      ? `no driver answers to ${joint.label}`
      : /^nobody answers to it/.test(joint.says)
        ? joint.says.replace('nobody answers to it', `no driver answers to ${joint.label}`)
        : `the driver ${joint.label}: ${joint.says}`
};

/** The cause in half a sentence, e.g. "no driver answers to block.standin.example". */
export const causeOf = (joint: Joint): string => causes[joint.joint]?.(joint) ?? joint.says;

/** How many of a line's members are not up: they have a break, wait or settle somewhere. */
function notUp(line: RootLine): number {
  return line.trunks.filter((_, i) => line.joints.some((one) => one.trunks.includes(i) && one.state !== 'holds' && one.state !== 'unseen'))
    .length;
}

/** An export says nothing of the provider at any time; that alone keeps no answer open. */
const provider = new Set<Joint['joint']>(['backend', 'target', 'rights']);
/** Steps that a member takes one after another: where one of them is unseen, nobody knows whether it came through. */
const steps = new Set<Joint['joint']>(['claim', 'snapshot', 'placing', 'attaching', 'mounting', 'references', 'image', 'start', 'ready']);

/** A line without a break, drawn from an export: what can't be told is said. */
function exportSentence(line: RootLine): string {
  const { name, kind } = line.subject;
  const overdue = line.joints.find((one) => one.overdueSinceMs !== undefined);
  if (overdue) return `${name} is ${overdue.says}.`.replace(/ is overdue since (\S+ \S+): /, ' is overdue since $1, and why is unseen: ');
  const settling = line.joints.find((one) => one.state === 'settling');
  if (settling)
    return /^(grows|is )/.test(settling.says)
      ? `${settling.label} ${settling.says}.`
      : `${name} comes up: ${settling.title.toLowerCase()}, ${settling.says}.`;
  const unseen = line.joints.find((one) => one.state === 'unseen' && !provider.has(one.joint));
  if (notUp(line)) {
    if (unseen) return `${name} waits, and why is unseen: ${unseen.says}.`;
    if (kind === 'PersistentVolume') return `${name} is Released and kept; it waits to be freed.`;
    if (kind === 'PersistentVolumeClaim') return `${name} waits for its first user; nothing is broken.`;
    return `${name} waits, and nothing is broken.`;
  }
  const step = line.joints.find((one) => one.state === 'unseen' && steps.has(one.joint));
  if (step) return `How ${name} stands is unseen: ${step.says}.`;
  const top = line.joints.at(-1);
  if (unseen && (unseen === top || !line.joints.some((one) => one.state === 'holds')))
    return `How ${name} stands is unseen: ${unseen.says}.`;
  return line.joints.length
    ? `${name} holds, as far as the export shows.`
    : `How ${name} stands is unseen: nothing of it is in the export.`;
}

/** A plan of copies, or a mirror: whether there is a good one, and why the last was none. */
function planSentence(line: RootLine): string {
  const broken = breakOf(line);
  const { name } = line.subject;
  const copies = line.joints.find((one) => one.joint === 'copies');
  if (broken && broken.joint !== 'copies')
    return line.subject.kind === 'Mirror'
      ? `${name} can't follow: ${causeOf(broken)}.`
      : `The last copy of ${name} failed: ${causeOf(broken)}.`;
  return `${name}: ${copies?.says ?? 'nothing is known of its copies'}.`;
}

/** The whole line in one sentence. */
export function lineSentence(line: RootLine): string {
  const broken = breakOf(line);
  const name = line.subject.name;
  if (line.subject.kind === 'BackupPlan' || line.subject.kind === 'Mirror') return planSentence(line);
  if (broken) return `${name} waits: ${causeOf(broken)}.`;
  if (line.exported) return exportSentence(line);
  const settling = line.joints.find((one) => one.state === 'settling');
  if (settling?.joint === 'claim') return `${settling.label} grows: ${settling.says}.`;
  if (settling) return `${name} comes up: ${settling.title.toLowerCase()}, ${settling.says}.`;
  const left = notUp(line);
  if (left && line.subject.kind === 'PersistentVolume') return `${name} is Released and kept; it waits to be freed.`;
  if (left && line.subject.kind === 'PersistentVolumeClaim') return `${name} waits for its first user; nothing is broken.`;
  return left ? `${name} waits, and nothing is broken.` : `${name} holds, from its name down to the disk.`;
}
