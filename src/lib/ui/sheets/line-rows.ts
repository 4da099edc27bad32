import type { Joint, State } from '$core/rootline';

/** A joint as it reaches the page: its remedy's manifests are YAML already. */
export type ShownJoint = Omit<Joint, 'remedy'> & {
  readonly remedy: {
    readonly text: string;
    /** The cluster that it goes to, where that is another one. */
    readonly in: string | null;
    readonly manifests: string | null;
    readonly press: string;
    readonly also: { readonly press: string; readonly manifests: string } | null;
  } | null;
};

/** One row of the drawing: all joints of one id, over all members. */
export interface LineRow {
  readonly id: Joint['joint'];
  readonly title: string;
  readonly why: string;
  readonly state: State;
  readonly label: string;
  readonly says: string;
  readonly joints: readonly ShownJoint[];
}

/** States, the gravest first. */
export const worstFirst: readonly State[] = ['broken', 'settling', 'waiting', 'unseen', 'holds'];

/** `data-bookings-0 … -2` for names that count up; others are listed as long as they are few. */
function labelOf(labels: readonly string[]): string {
  const distinct = [...new Set(labels)];
  const tails = distinct.map((one) => /^(.*-)(\d+)(.*)$/.exec(one));
  const counts =
    distinct.length > 1 &&
    tails.every((one, i) => one && one[1] === tails[0]![1] && one[3] === tails[0]![3] && Number(one[2]) === Number(tails[0]![2]) + i);
  if (counts) return `${distinct[0]} … -${tails.at(-1)![2]}`;
  return distinct.length <= 4 ? distinct.join(', ') : `${distinct[0]} … ${distinct.at(-1)}`;
}

function rowOf(joints: readonly ShownJoint[]): LineRow {
  const worst = worstFirst.map((state) => joints.find((one) => one.state === state)).find((one) => one !== undefined)!;
  const holds = joints.filter((one) => one.state === 'holds').length;
  const all = joints.every((one) => one.state === worst.state);
  return {
    id: worst.joint,
    title: worst.title,
    why: worst.why,
    state: worst.state,
    label: labelOf(joints.map((one) => one.label).filter((one) => one !== '–')) || '',
    says: all || joints.length === 1 ? worst.says : `${holds} of ${joints.length} hold; ${worst.says}`,
    joints
  };
}

/** Joints gathered into rows, from the root up. */
export function rowsOf(joints: readonly ShownJoint[]): LineRow[] {
  const groups = new Map<string, ShownJoint[]>();
  for (const one of joints) groups.set(one.joint, [...(groups.get(one.joint) ?? []), one]);
  return [...groups.values()].map(rowOf);
}
