import { randomBytes } from 'node:crypto';
import { lengthFor, secretValue } from '$core/drafts';

const random = (count: number) => new Uint8Array(randomBytes(count));

/** So many values for secrets, each of at least 128 random bits. */
export const drawn = (count: number): string[] => Array.from({ length: count }, () => secretValue('letters', lengthFor('letters'), random));
