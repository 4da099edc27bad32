import { chacha20, chacha20poly1305 } from '@noble/ciphers/chacha.js';
import { sha256 } from '@noble/hashes/sha2.js';

/** What is computed over many bytes. Whoever runs the core may give a quicker way to the same results. */
export interface ByteWork {
  /** SHA-256. Source: FIPS 180-4. */
  sha256(bytes: Uint8Array): Uint8Array;
  /** ChaCha20 from block 0 on; its own reverse. Key of 32 bytes, nonce of 12. Source: RFC 8439, 2.4. */
  chacha20(key: Uint8Array, nonce: Uint8Array, bytes: Uint8Array): Uint8Array;
}

let work: ByteWork = { sha256, chacha20 };

/** Gives another way to compute the same. */
export function computeWith(other: ByteWork): void {
  work = other;
}

/** SHA-256 (FIPS 180-4). */
export const digestOf = (bytes: Uint8Array): Uint8Array => work.sha256(bytes);
/**
 * ChaCha20 (RFC 8439): enciphers, and deciphers.
 * @param key 32 bytes
 * @param nonce 12 bytes
 */
export const streamOf = (key: Uint8Array, nonce: Uint8Array, bytes: Uint8Array): Uint8Array => work.chacha20(key, nonce, bytes);

/**
 * Sealed so that whoever lacks the key can neither read nor alter it: ChaCha20 with Poly1305 (RFC 8439, 2.8).
 * @param key 32 bytes
 * @param nonce 12 bytes, never the same for two contents under one key
 */
export const sealBox = (key: Uint8Array, nonce: Uint8Array, bytes: Uint8Array): Uint8Array => chacha20poly1305(key, nonce).encrypt(bytes);

/** What was sealed so; undefined where the key or the nonce is another one, or a bit of it was altered. */
export function openBox(key: Uint8Array, nonce: Uint8Array, box: Uint8Array): Uint8Array | undefined {
  try {
    return chacha20poly1305(key, nonce).decrypt(box);
  } catch {
    return undefined;
  }
}
