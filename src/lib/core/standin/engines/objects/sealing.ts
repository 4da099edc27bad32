import { utf8ToBytes } from '@noble/hashes/utils.js';
import { digestOf, streamOf } from '../../../shared';

/** The setting with the key that a store seals what it keeps with. */
export const storeKeyOption = 'STORE_KEY';

/**
 * A content encrypted by the store, or decrypted again (a stream cipher is its own reverse). The key follows from the mark of the secret, as
 * no secret is kept; the nonce from what is written, so none serves twice. Whether all is well is told by the content's SHA-256.
 */
export function sealed(content: Uint8Array, key: string, what: string): Uint8Array {
  return streamOf(digestOf(utf8ToBytes(`store key ${key}`)), digestOf(utf8ToBytes(what)).slice(0, 12), content);
}
