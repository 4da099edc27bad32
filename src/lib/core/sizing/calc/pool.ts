import { healAfterMs, poolStopShare, poolWarnShare } from '../../standin';
import { plural } from '../../shared';
import { shown } from './written';
import type { Calculation, Values } from './types';

/** What so many nodes that are alike hold; the rule of `usableBytes` for them. */
const holds = (nodes: number, bytes: number, copies: number): number => (nodes < copies ? 0 : Math.floor((nodes * bytes) / copies));
const usable = ({ nodes, disks, size }: Values, copies: number): number => holds(nodes!, disks! * size!, copies);

/** Disks of a pool: what it holds, what it can lose, and how long it heals. Nodes are alike here; a pool that stands is reckoned disk by disk. */
export const pool: Calculation = {
  id: 'pool',
  title: 'Disks of a pool',
  tells: 'what a pool of disks holds, what it can heal, and for how long it is short of copies',
  sentence:
    '{nodes} nodes give {disks} disks of {size} each. Each piece lies on {copies} of the nodes, and {stored} are stored. Copies are made anew at {recovery} over the whole pool.',
  slots: [
    { id: 'nodes', unit: 'count', label: 'Nodes', start: '6', least: 1, most: 2_000 },
    { id: 'disks', unit: 'count', label: 'Disks of a node', start: '2', least: 1, most: 200 },
    { id: 'size', unit: 'bytes', label: 'Size of a disk', start: '720 GiB', least: 2 ** 30, most: 2 ** 50 },
    { id: 'copies', unit: 'count', label: 'Copies of each piece', start: '3', least: 1, most: 5 },
    { id: 'stored', unit: 'bytes', label: 'Stored, before copies', start: '900 GiB', least: 0, most: 2 ** 60 },
    { id: 'recovery', unit: 'rate', label: 'Speed of making copies anew', start: '200 MB/s', least: 1_000, most: 1e12 }
  ],
  figures: [
    { id: 'raw', unit: 'bytes', label: 'raw' },
    { id: 'usable', unit: 'bytes', label: 'usable' },
    { id: 'warn', unit: 'bytes', label: 'warns from', note: `${poolWarnShare * 100} % of it` },
    { id: 'stop', unit: 'bytes', label: 'takes no more from', note: `${poolStopShare * 100} % of it` },
    { id: 'healable', unit: 'bytes', label: 'room to heal', note: 'stored at most, so that one node can go' },
    { id: 'fill', unit: 'share', label: 'fill' },
    { id: 'healNode', unit: 'time', label: 'whole again after a node' },
    { id: 'healDisk', unit: 'time', label: 'whole again after a disk' }
  ],
  formulas: [
    {
      text: 'usable = the largest U with the sum of min(node, U) at least copies x U',
      source: 'each copy on another node; worked out in docs/model.md'
    },
    {
      text: 'whole again = wait + bytes that lay there / recovery',
      source: 'common practice, no source; the wait is the pool card of the stand-in, made up'
    }
  ],
  fault: ({ nodes, copies }) => (copies! > nodes! ? `${copies} copies of a piece need ${copies} nodes.` : undefined),
  reckon(v) {
    const usableBytes = usable(v, v.copies!);
    const healableBytes = holds(v.nodes! - 1, v.disks! * v.size!, v.copies!);
    const onNode = (v.stored! * v.copies!) / v.nodes!;
    const heal = (bytes: number) => (v.copies === 1 ? Infinity : healAfterMs / 1_000 + bytes / v.recovery!);
    return {
      raw: v.nodes! * v.disks! * v.size!,
      usable: usableBytes,
      warn: usableBytes * poolWarnShare,
      stop: usableBytes * poolStopShare,
      healable: healableBytes,
      fill: v.stored! / usableBytes,
      healNode: v.stored! > healableBytes ? Infinity : heal(onNode),
      healDisk: heal(onNode / v.disks!)
    };
  },
  tell({ nodes, disks, size, copies, stored }, f) {
    const holds = `${plural(nodes! * disks!, 'disk')} of ${shown('bytes', size!)} hold ${shown('bytes', f.usable!)} ${copies} times`;
    const headline =
      f.fill! > 1
        ? `${holds}: ${shown('bytes', stored!)} are too much.`
        : f.fill! >= poolStopShare
          ? `${holds}, and take nothing more: they are ${shown('share', f.fill!)} full.`
          : stored! > f.healable!
            ? `${holds}, but a lost node could not be copied anew: at most ${shown('bytes', f.healable!)} may be stored for that.`
            : `${holds}; a lost node is copied anew within ${shown('time', f.healNode!)}.`;
    return { headline, notes: copies === 1 ? ['With one copy whatever lies on a disk goes with it.'] : [] };
  },
  chart: (v) => ({
    kind: 'bars',
    title: 'usable, by copies',
    unit: 'bytes',
    points: [1, 2, 3, 4, 5]
      .filter((copies) => copies <= v.nodes!)
      .map((copies) => ({
        label: plural(copies, 'copy', 'copies'),
        value: usable(v, copies),
        chosen: copies === v.copies
      })),
    bound: { value: v.stored!, label: 'stored' }
  })
};
