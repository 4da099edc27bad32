const blockBytes = 4096;
/** Blocks of 4 KiB that one bitmap of a block describes. */
const groupBlocks = 32_768;
/** mke2fs keeps room for a device that grows a thousandfold: so many blocks of descriptors beside the ones in use. */
const keptDescriptors = 1_024;

/** Blocks of the journal by blocks of the device: the steps of mke2fs (from memory; checked against the measured figures). */
const journalSteps: readonly [below: number, blocks: number][] = [
  [32_768, 1_024],
  [262_144, 4_096],
  [524_288, 8_192],
  [4_194_304, 16_384],
  [8_388_608, 32_768],
  [16_777_216, 65_536],
  [33_554_432, 131_072]
];

/** Whether a group carries a copy of the superblock: 0, 1 and the powers of 3, 5 and 7 (sparse_super). */
function carriesCopy(group: number): boolean {
  if (group <= 1) return true;
  return [3, 5, 7].some((base) => {
    let power = base;
    while (power < group) power *= base;
    return power === group;
  });
}

/** What a file system makes of a device, in bytes. */
export interface Room {
  /** What a disk-free report calls its size. */
  readonly sizeBytes: number;
  /** What a program can really write. */
  readonly availableBytes: number;
}

function ext4(deviceBytes: number): Room {
  const blocks = Math.floor(deviceBytes / blockBytes);
  const groups = Math.ceil(blocks / groupBlocks);
  const inodeTables = Math.floor(blocks / 64);
  const journal = journalSteps.find(([below]) => blocks < below)?.[1] ?? 262_144;
  const descriptors = Math.ceil((groups * 64) / blockBytes);
  let copies = 0;
  for (let group = 0; group < groups; group += 1) if (carriesCopy(group)) copies += 1;
  const overhead = inodeTables + journal + 2 * groups + copies * (1 + descriptors + keptDescriptors);
  const reserved = Math.floor(blocks * 0.05);
  const usable = Math.max(0, blocks - overhead);
  const firstDirectories = 6;
  return {
    sizeBytes: usable * blockBytes,
    availableBytes: Math.max(0, usable - reserved - firstDirectories - blockBytes) * blockBytes
  };
}

/** Measured on two sizes; what xfs keeps for itself depends on the kernel. */
const xfsKept = { blocks: 8_264, share: 0.0069719 };

function xfs(deviceBytes: number): Room {
  const blocks = Math.floor(deviceBytes / blockBytes);
  const log = Math.max(16_384, Math.floor(blocks / 2_048));
  const size = Math.max(0, blocks - log);
  return {
    sizeBytes: size * blockBytes,
    availableBytes: Math.max(0, Math.floor(size * (1 - xfsKept.share)) - xfsKept.blocks) * blockBytes
  };
}

const known = new Map<string, Room>();

/**
 * What a file system really holds on a device of a size. ext4 keeps inode tables, bitmaps, a journal, copies of its descriptors and 5 %
 * for root; xfs its log and a reserve. Source: mke2fs and xfs defaults with blocks of 4096 bytes, measured (design/outside-checks.md).
 * Anything else (shared files) holds what was asked for.
 */
export function fileSystemRoom(fsType: string, deviceBytes: number): Room {
  if (fsType !== 'ext4' && fsType !== 'xfs') return { sizeBytes: deviceBytes, availableBytes: deviceBytes };
  const key = `${fsType}|${deviceBytes}`;
  let room = known.get(key);
  if (!room) {
    room = fsType === 'ext4' ? ext4(deviceBytes) : xfs(deviceBytes);
    if (known.size > 2_000) known.clear();
    known.set(key, room);
  }
  return room;
}

/** Smallest device that xfs takes: 300 MiB (measured). */
export const leastXfsBytes = 300 * 2 ** 20;
