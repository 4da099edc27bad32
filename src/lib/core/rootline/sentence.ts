import type { Joint, RootLine } from './chain';

/** The first break's joint, or undefined. */
export const breakOf = (line: RootLine): Joint | undefined => line.joints.find((one) => one.state === 'broken');

const causes: Partial<Record<Joint['joint'], (joint: Joint) => string>> = {
  target: (joint) => joint.says.replace(/^(zone .*): no/, '$1 has no'),
  driver: (joint) =>
    /^not installed/.test(joint.says) ? `no driver answers to ${joint.label}` : `the driver ${joint.label}: ${joint.says}`
};

/** The cause in half a sentence, e.g. "no driver answers to block.standin.example". */
export const causeOf = (joint: Joint): string => causes[joint.joint]?.(joint) ?? joint.says;

/** How many of a line's members are not up: they have a break, wait or settle somewhere. */
function notUp(line: RootLine): number {
  return line.trunks.filter((_, i) => line.joints.some((one) => one.trunks.includes(i) && one.state !== 'holds' && one.state !== 'unseen'))
    .length;
}

/** The whole line in one sentence. */
export function lineSentence(line: RootLine): string {
  const broken = breakOf(line);
  const name = line.subject.name;
  if (broken) return `${name} waits: ${causeOf(broken)}.`;
  const settling = line.joints.find((one) => one.state === 'settling');
  if (settling?.joint === 'claim') return `${settling.label} grows: ${settling.says}.`;
  if (settling) return `${name} comes up: ${settling.title.toLowerCase()}, ${settling.says}.`;
  const left = notUp(line);
  if (left && line.subject.kind === 'PersistentVolume') return `${name} is Released and kept; it waits to be freed.`;
  if (left && line.subject.kind === 'PersistentVolumeClaim') return `${name} waits for its first user; nothing is broken.`;
  return left ? `${name} waits, and nothing is broken.` : `${name} holds, from its name down to the disk.`;
}
