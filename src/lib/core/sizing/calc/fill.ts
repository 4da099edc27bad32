import { leaves, leavesSource } from './file-system';
import { shown } from './written';
import type { Calculation, Values } from './types';

const until = ({ size, used, grows }: Values, share: number): number => {
  const left = share * leaves(size!) - used!;
  return left <= 0 ? 0 : grows! > 0 ? (left / grows!) * 86_400 : Infinity;
};

/** Fill: when a volume is full, and how far the next growth carries. */
export const fill: Calculation = {
  id: 'fill',
  title: 'Fill of a volume',
  tells: 'days to 80, 90 and 100 %, and how far the next growth carries',
  sentence:
    'A volume of {size} holds {used} and takes {grows} more a day. It is grown by {step} at a time, no sooner than {cool} after the last time; its backend has {left} left for it.',
  slots: [
    { id: 'size', unit: 'bytes', label: 'Size of the volume', start: '200 GiB', least: 2 ** 20, most: 2 ** 50 },
    { id: 'used', unit: 'bytes', label: 'What it holds', start: '118 GiB', least: 0, most: 2 ** 50 },
    { id: 'grows', unit: 'bytes', label: 'More a day', start: '4 to 6 GiB', least: 0, most: 2 ** 50 },
    { id: 'step', unit: 'bytes', label: 'Grown by', start: '100 GiB', least: 2 ** 20, most: 2 ** 50 },
    { id: 'cool', unit: 'time', label: 'Between two growths', start: '6 h', least: 0, most: 1e8 },
    { id: 'left', unit: 'bytes', label: 'Room at the backend', start: '1 TiB', least: 0, most: 2 ** 60 }
  ],
  figures: [
    { id: 'share', unit: 'share', label: 'fill now' },
    { id: 'to80', unit: 'time', label: '80 % in' },
    { id: 'to90', unit: 'time', label: '90 % in' },
    { id: 'to100', unit: 'time', label: 'full in' },
    { id: 'next', unit: 'bytes', label: 'size after the next growth' },
    { id: 'carries', unit: 'time', label: 'one growth carries for' },
    { id: 'room', unit: 'bytes', label: 'what its file system leaves', note: 'ext4' },
    { id: 'backend', unit: 'time', label: 'the backend’s room is used up in' }
  ],
  formulas: [
    {
      text: 'days = (share x what the file system leaves - used) / more a day',
      source: `${leavesSource}; the range of what is more a day is carried through`
    },
    { text: 'the backend’s room lasts (size + left - used) / more a day', source: 'arithmetic' }
  ],
  fault: ({ used, size }) =>
    leaves(size!) <= 0
      ? 'No file system leaves anything of a volume that small.'
      : used! > size!
        ? 'It holds more than its size.'
        : undefined,
  reckon: (v) => ({
    room: leaves(v.size!),
    share: v.used! / leaves(v.size!),
    to80: until(v, 0.8),
    to90: until(v, 0.9),
    to100: until(v, 1),
    next: v.size! + v.step!,
    carries: v.grows! > 0 ? ((leaves(v.size! + v.step!) - leaves(v.size!)) / v.grows!) * 86_400 : Infinity,
    backend: until({ ...v, size: v.size! + v.left! }, 1)
  }),
  tell(v, f) {
    const slow = f.carries! < v.cool!;
    return {
      headline:
        f.to100 === Infinity
          ? `It does not grow: ${shown('share', f.share!)} full, and stays so.`
          : f.share! >= 1
            ? 'It is full.'
            : `${shown('share', f.share!)} full; 80 % ${f.to80 ? `in ${shown('time', f.to80!)}` : 'is passed'}, full in ${shown('time', f.to100!)}.`,
      notes: [
        ...(slow
          ? [
              `A growth carries for ${shown('time', f.carries!)}, and the next one has to wait ${shown('time', v.cool!)}: grow by more at a time.`
            ]
          : []),
        ...(v.step! > v.left! ? ['The backend has less left than one growth takes.'] : [])
      ]
    };
  },
  chart: (v) => ({
    kind: 'line',
    title: 'what it holds, day by day',
    unit: 'bytes',
    points: Array.from({ length: 11 }, (_, i) => {
      const span = Number.isFinite(until(v, 1)) ? Math.max(until(v, 1), 86_400) : 30 * 86_400;
      const seconds = (span * 1.2 * i) / 10;
      return { label: shown('time', seconds), value: v.used! + (v.grows! * seconds) / 86_400 };
    }),
    bound: { value: leaves(v.size!), label: 'what its file system leaves' }
  })
};
