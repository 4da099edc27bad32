import { createCipheriv, createHash } from 'node:crypto';
import type { ByteWork } from '$core/shared';

/** A nonce of 12 bytes behind a block counter of 4, which begins at 0. */
const counted = (nonce: Uint8Array): Uint8Array => {
  const iv = new Uint8Array(16);
  iv.set(nonce, 4);
  return iv;
};

/** Node's own SHA-256 and ChaCha20, some 20 times as quick as those in plain JavaScript. */
export const nativeBytes: ByteWork = {
  sha256: (bytes) => new Uint8Array(createHash('sha256').update(bytes).digest()),
  chacha20: (key, nonce, bytes) => new Uint8Array(createCipheriv('chacha20', key, counted(nonce)).update(bytes))
};
