import { fileSystemRoom } from '../../standin';

const shares = new Map<number, number>();
/** Sizes so near each other (an eighth of a doubling) have one share: it differs by less than a thousandth from a GiB on. */
const steps = 8;

function shareOf(bytes: number): number {
  const step = Math.round(Math.log2(Math.max(2 ** 20, bytes)) * steps);
  let share = shares.get(step);
  if (share === undefined) {
    const size = Math.round(2 ** (step / steps));
    shares.set(step, (share = fileSystemRoom('ext4', size).availableBytes / size));
  }
  return share;
}

/** Bytes that ext4 leaves of a volume for what is written to it. Source: mke2fs, its defaults (`fileSystemRoom`). */
export const leaves = (bytes: number): number => bytes * shareOf(bytes);
/** Smaller volumes are not reckoned backwards: of a few MiB ext4 leaves nothing. */
const least = 2 ** 30;
/** The size of a volume of which ext4 leaves so many bytes; the inverse of `leaves`. */
export const takesFor = (bytes: number): number => bytes / shareOf(Math.max(least, bytes * 1.08));
/** What is said of it beside a formula. */
export const leavesSource = 'what ext4 leaves of a volume: mke2fs, its defaults (inode tables, journal, 5 % for root)';
