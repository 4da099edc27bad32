import { plural } from '../../shared';
import { leaves, leavesSource, takesFor } from './file-system';
import { shown } from './written';
import type { Calculation, Values } from './types';

/** Bytes of messages that lie on one broker. */
const lies = ({ rate, kept, copies, brokers, packed }: Values): number => (rate! * packed! * kept! * copies!) / brokers!;
const disk = (v: Values): number => takesFor(lies(v) * (1 + v.free!));

/** Log broker: disk, writes and network of a broker, and how long a lost one takes to be copied anew. */
export const broker: Calculation = {
  id: 'broker',
  title: 'Log broker',
  tells: 'disk, writes and network of each broker, with one lost too',
  sentence:
    '{brokers} brokers take {rate} in {messages} messages a second, packed to {packed}, kept {copies} times for {kept}; {readers} readers follow. {free} more is kept free, {lost} brokers may be lost, and a lost one is copied anew at {anew}. A broker has {has} of disk.',
  slots: [
    { id: 'brokers', unit: 'count', label: 'Brokers', start: '3', least: 1, most: 1_000 },
    { id: 'rate', unit: 'rate', label: 'Bytes a second that come in', start: '0.4 to 0.7 MB/s', least: 1, most: 1e12 },
    { id: 'messages', unit: 'each-second', label: 'Messages a second', start: '900', least: 0, most: 1e9 },
    { id: 'packed', unit: 'share', label: 'What packing leaves', start: '100 %', least: 0.01, most: 1 },
    { id: 'copies', unit: 'count', label: 'Copies of each message', start: '3', least: 1, most: 9 },
    { id: 'kept', unit: 'time', label: 'How long messages are kept', start: '3 days', least: 1, most: 1e9 },
    { id: 'readers', unit: 'count', label: 'Readers that read all', start: '2', least: 0, most: 1_000 },
    { id: 'free', unit: 'share', label: 'Kept free on top', start: '30 %', least: 0, most: 5 },
    { id: 'lost', unit: 'count', label: 'Brokers lost', start: '1', least: 0, most: 100 },
    { id: 'anew', unit: 'rate', label: 'Speed of copying a broker anew', start: '40 MB/s', least: 1, most: 1e12 },
    { id: 'has', unit: 'bytes', label: 'Disk that a broker has', start: '140 GiB', least: 0, most: 2 ** 60 }
  ],
  figures: [
    { id: 'disk', unit: 'bytes', label: 'disk a broker' },
    { id: 'days', unit: 'time', label: 'full after', note: 'what it has, with nothing kept free' },
    { id: 'writes', unit: 'rate', label: 'writes to its disks', note: 'brokers lost' },
    { id: 'in', unit: 'rate', label: 'network in', note: 'copies too, brokers lost' },
    { id: 'out', unit: 'rate', label: 'network out', note: 'readers and copies, brokers lost' },
    { id: 'messages', unit: 'each-second', label: 'messages a broker', note: 'brokers lost' },
    { id: 'again', unit: 'time', label: 'a lost broker is copied anew in' }
  ],
  formulas: [
    { text: 'bytes a broker = in x packed x time x copies / brokers x (1 + free)', source: 'common practice, no source' },
    { text: 'disk = bytes / what the file system leaves', source: leavesSource },
    {
      text: 'in = in x copies / brokers left; out = in x (copies - 1 + readers) / brokers left',
      source: 'each copy and each reader takes every byte once'
    }
  ],
  fault: ({ brokers, copies, lost }) =>
    copies! > brokers!
      ? `${copies} copies need as many brokers.`
      : lost! >= brokers!
        ? `${lost} of ${plural(brokers!, 'broker')} lost leaves none.`
        : undefined,
  reckon(v) {
    const left = v.brokers! - v.lost!;
    const packed = v.rate! * v.packed!;
    return {
      disk: disk(v),
      days: leaves(v.has!) / ((packed * v.copies!) / v.brokers!),
      writes: (packed * v.copies!) / left,
      in: (packed * v.copies!) / left,
      out: (packed * (v.copies! - 1 + v.readers!)) / left,
      messages: v.messages! / left,
      again: lies(v) / v.anew!
    };
  },
  tell({ kept, has, lost, copies }, f) {
    const need = `${shown('time', kept!)} of traffic need ${shown('bytes', f.disk!)} a broker`;
    return {
      headline:
        has! >= f.disk!
          ? `${need}; it has ${shown('bytes', has!)}.`
          : `${need}; it has ${shown('bytes', has!)}, and is full after ${shown('time', f.days!)}.`,
      notes: lost! >= copies! ? [`With ${lost} lost and ${copies} copies some messages have no copy left.`] : []
    };
  },
  chart: (v) => ({
    kind: 'bars',
    title: 'disk a broker, by how long messages are kept',
    unit: 'bytes',
    points: [1 / 3, 2 / 3, 1, 4 / 3, 2].map((share) => ({
      label: shown('time', v.kept! * share),
      value: disk({ ...v, kept: v.kept! * share }),
      chosen: share === 1
    })),
    bound: { value: v.has!, label: 'what it has' }
  })
};
