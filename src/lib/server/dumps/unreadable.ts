/** Why a whole body can't be read. */
export class Unreadable extends Error {
  constructor(
    readonly code: 'too-large' | 'not-text' | 'archive' | 'nothing',
    message: string,
    readonly remedy: string
  ) {
    super(message);
  }
}

/** The packing that the first bytes tell of, where it isn't read here. */
export function otherPacking(head: Buffer): string | undefined {
  const hex = head.subarray(0, 6).toString('hex');
  if (hex.startsWith('425a68')) return 'bzip2';
  if (hex === 'fd377a585a00') return 'xz';
  if (hex.startsWith('28b52ffd')) return 'zstd';
  if (hex.startsWith('377abcaf271c')) return '7z';
  return undefined;
}

/** What went wrong with an archive, in words for whoever sent it. */
export function brokenArchive(error: unknown): Error {
  if (error instanceof Unreadable) return error;
  const words = error instanceof Error ? error.message : String(error);
  const cut = /unexpected end|premature|truncated/i.test(words);
  if (cut)
    return new Unreadable('archive', 'The archive ends in the middle: it was cut off.', 'Fetch or pack it again, and compare its length.');
  return new Unreadable('archive', `The archive can't be unpacked: ${words}.`, 'Pack it again, as .gz, .tar, .tar.gz or .zip.');
}
