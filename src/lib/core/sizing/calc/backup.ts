import { plural } from '../../shared';
import { shown } from './written';
import type { Calculation, Values } from './types';

/** Bytes of the copies that are kept: each so many is whole, the others hold what changed since the one before. */
function room({ bytes, changes, every, kept, fullEvery }: Values): number {
  const partial = Math.min(bytes!, (changes! * every!) / 86_400);
  const whole = Math.ceil(kept! / fullEvery!);
  return whole * bytes! + (kept! - whole) * partial;
}

function figures(v: Values) {
  const copy = v.bytes! / v.rate!;
  const log = v.log!;
  return {
    window: copy,
    loses: log > 0 ? log : v.every! + copy,
    back: v.start! + v.bytes! / v.backRate! + (log > 0 ? ((v.changes! / 86_400) * v.every!) / v.backRate! : 0),
    room: room(v) + (log > 0 ? (v.changes! * v.every! * v.kept!) / 86_400 : 0),
    reaches: v.every! * v.kept!,
    share: copy / v.every!
  };
}

/** Backup: recovery point and time, room and window. */
export const backup: Calculation = {
  id: 'backup',
  title: 'Backup',
  tells: 'what can be lost, how long the way back takes, and the room of copies',
  sentence:
    '{bytes} are copied every {every} at {rate}; {changes} of it change a day. {kept} copies are kept, of which one in {fullEvery} is whole. The log is shipped every {log} (0 s: not at all). On the way back something starts within {start}, and {backRate} are read. Asked for are at most {point} lost and {time} until it is back.',
  slots: [
    { id: 'bytes', unit: 'bytes', label: 'What is copied', start: '200 GiB', least: 1, most: 2 ** 60 },
    { id: 'every', unit: 'time', label: 'How often', start: '24 h', least: 60, most: 1e8 },
    { id: 'rate', unit: 'rate', label: 'Speed of copying', start: '60 to 120 MB/s', least: 1, most: 1e12 },
    { id: 'changes', unit: 'bytes', label: 'Changes a day', start: '6 GiB', least: 0, most: 2 ** 60 },
    { id: 'kept', unit: 'count', label: 'Copies kept', start: '14', least: 1, most: 10_000 },
    { id: 'fullEvery', unit: 'count', label: 'Every so many copies one is whole', start: '7', least: 1, most: 1_000 },
    { id: 'log', unit: 'time', label: 'How often the log is shipped', start: '5 min', least: 0, most: 1e7 },
    { id: 'start', unit: 'time', label: 'Until something starts on the way back', start: '3 min', least: 0, most: 1e7 },
    { id: 'backRate', unit: 'rate', label: 'Speed of the way back', start: '80 MB/s', least: 1, most: 1e12 },
    { id: 'point', unit: 'time', label: 'Lost at most', start: '15 min', least: 0, most: 1e9 },
    { id: 'time', unit: 'time', label: 'Back within', start: '1 h', least: 0, most: 1e9 }
  ],
  figures: [
    { id: 'loses', unit: 'time', label: 'can be lost' },
    { id: 'back', unit: 'time', label: 'is back within' },
    { id: 'room', unit: 'bytes', label: 'room of the copies', note: 'log too' },
    { id: 'window', unit: 'time', label: 'a whole copy takes' },
    { id: 'share', unit: 'share', label: 'of the time between two' },
    { id: 'reaches', unit: 'time', label: 'reaches back' }
  ],
  formulas: [
    { text: 'can be lost = interval + duration; with a log its interval', source: 'common practice, no source' },
    { text: 'back = start + bytes / speed, and the log of one interval', source: 'common practice, no source' }
  ],
  fault: ({ fullEvery, kept }) =>
    fullEvery! > kept!
      ? `Of ${plural(kept!, 'copy', 'copies')} that are kept none would be whole at times: keep ${fullEvery} at least.`
      : undefined,
  reckon: figures,
  tell(v, f) {
    const late = [
      ...(f.loses! > v.point! ? [`${shown('time', f.loses!)} can be lost, and ${shown('time', v.point!)} are allowed`] : []),
      ...(f.back! > v.time! ? [`it is back after ${shown('time', f.back!)}, and ${shown('time', v.time!)} are allowed`] : [])
    ];
    const [first = '', ...more] = late;
    return {
      headline: late.length
        ? `${[first[0]!.toUpperCase() + first.slice(1), ...more].join('; ')}.`
        : `${shown('time', f.loses!)} can be lost, and it is back within ${shown('time', f.back!)}; copies take ${shown('bytes', f.room!)}.`,
      notes: f.share! >= 1 ? ['A copy takes longer than the time between two: the next one begins late.'] : []
    };
  },
  chart: (v) => ({
    kind: 'bars',
    title: 'room, by copies kept',
    unit: 'bytes',
    points: [0.5, 1, 2, 4].map((times) => {
      const kept = Math.max(v.fullEvery!, Math.round(v.kept! * times));
      return { label: plural(kept, 'copy', 'copies'), value: figures({ ...v, kept }).room, chosen: times === 1 };
    })
  })
};
