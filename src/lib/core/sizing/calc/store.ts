import { fileSystemRoom, mostVolumes, storeLayout } from '../../standin';
import { plural } from '../../shared';
import { shown } from './written';
import type { Calculation, Values } from './types';

/** Bytes that a file system gives out at a time. Source: mke2fs and mkfs.xfs, their default block size. */
const block = 4_096;

const parityMost = ({ members }: Values): number => Math.floor(members! / 2);

/** Bytes that an object takes over all volumes: each shard in whole blocks. */
export function takenBy(objectBytes: number, data: number, parity: number): number {
  const shard = Math.ceil(objectBytes / data);
  return Math.max(block, Math.ceil(shard / block) * block) * (data + parity);
}

function figures(v: Values) {
  const layout = storeLayout(v.members!, v.volumes!, v.size!, v.parity!);
  const room = fileSystemRoom('ext4', v.size!).availableBytes;
  const taken = takenBy(v.object!, layout.data, layout.parity);
  const objects = Math.floor((room * layout.volumes) / taken);
  return {
    raw: layout.rawBytes * v.sets!,
    usable: layout.data * room * v.sets!,
    share: (layout.data * room) / layout.rawBytes,
    objects: objects * v.sets!,
    overhead: taken / v.object!,
    members: layout.losableMembers,
    volumesLost: layout.losableVolumes,
    writable: layout.writableWithoutMembers
  };
}

/** Object store: what erasure coding leaves, what it survives, and what small objects cost. */
export const store: Calculation = {
  id: 'store',
  title: 'Object store',
  tells: 'what parity costs and survives, over several sets, and what small objects take',
  sentence:
    '{sets} sets of {members} members have {volumes} volumes of {size} each; {parity} members’ worth of each is parity. An object has {object}.',
  slots: [
    { id: 'sets', unit: 'count', label: 'Sets', start: '1', least: 1, most: 100 },
    { id: 'members', unit: 'count', label: 'Members of a set', start: '4', least: 1, most: mostVolumes },
    { id: 'volumes', unit: 'count', label: 'Volumes of a member', start: '2', least: 1, most: mostVolumes },
    { id: 'size', unit: 'bytes', label: 'Size of a volume', start: '200 GiB', least: 2 ** 30, most: 2 ** 50 },
    { id: 'parity', unit: 'count', label: 'Members’ worth of parity', start: '2', least: 0, most: 127 },
    { id: 'object', unit: 'bytes', label: 'Size of an object', start: '1 MiB', least: 1, most: 2 ** 50 }
  ],
  figures: [
    { id: 'raw', unit: 'bytes', label: 'raw' },
    { id: 'usable', unit: 'bytes', label: 'usable', note: 'large objects, inside ext4' },
    { id: 'share', unit: 'share', label: 'of what is paid for' },
    { id: 'objects', unit: 'count', label: 'objects of that size' },
    { id: 'overhead', unit: 'number', label: 'bytes on disks for one of an object' },
    { id: 'members', unit: 'count', label: 'members that may go', note: 'of each set; all can still be read' },
    { id: 'volumesLost', unit: 'count', label: 'volumes that may go', note: 'of each set' },
    { id: 'writable', unit: 'count', label: 'members that may go while it is written to' }
  ],
  formulas: [
    { text: 'usable = raw x k / (k + m); any m of k + m shards may be lost', source: 'Reed and Solomon 1960' },
    { text: 'a shard takes ceil(object / k) bytes in blocks of 4,096', source: 'default block size of ext4 and xfs' }
  ],
  fault(v) {
    if (v.members! * v.volumes! > mostVolumes) return `A set has at most ${mostVolumes} volumes, and these are ${v.members! * v.volumes!}.`;
    return v.parity! > parityMost(v) ? `Of ${v.members} members at most ${parityMost(v)} can be parity.` : undefined;
  },
  reckon: figures,
  tell({ members, parity, volumes, sets, object }, f) {
    const all = `${sets === 1 ? '' : `${plural(sets!, 'set')} of `}${plural(members!, 'member')} with ${plural(volumes!, 'volume')} each`;
    return {
      headline: `${all} hold ${shown('bytes', f.usable!)}; ${parity ? `any ${plural(f.members!, 'member')} of a set may go` : 'none may go'}.`,
      notes: [
        ...(f.overhead! > 2 * (members! / (members! - parity!))
          ? [
              `Objects of ${shown('bytes', object!)} take ${shown('number', f.overhead!)} times their size: each shard fills a block at least.`
            ]
          : []),
        ...(sets! > 1 ? ['Sets are filled side by side; a lost set takes its own objects with it.'] : [])
      ]
    };
  },
  chart: (v) => ({
    kind: 'bars',
    title: 'usable, by parity',
    unit: 'bytes',
    points: Array.from({ length: Math.min(parityMost(v), 8) + 1 }, (_, parity) => ({
      label: `parity ${parity}`,
      value: figures({ ...v, parity }).usable,
      chosen: parity === v.parity
    }))
  })
};
