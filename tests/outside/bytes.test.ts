import { bytesToHex, hexToBytes, utf8ToBytes } from '@noble/hashes/utils.js';
import { sha256 } from '@noble/hashes/sha2.js';
import { chacha20 } from '@noble/ciphers/chacha.js';
import { createCipheriv } from 'node:crypto';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { openBox, sealBox } from '$core/shared';
import { nativeBytes } from '$server/rehearsals/native-bytes';

// Both ways of computing, that in plain JavaScript and the native one, against what was published.
const ways = [
  ['plain', { sha256, chacha20 }],
  ['native', nativeBytes]
] as const;

it.each(ways)('%s: SHA-256 of "abc" is the one in FIPS 180-4 (its example in NIST\'s "SHA256" sheet, value from memory)', (_, work) => {
  expect(bytesToHex(work.sha256(utf8ToBytes('abc')))).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad');
});

it.each(ways)('%s: the first ChaCha20 block of zeros is the one in RFC 8439, A.1, test vector 1 (value from memory)', (_, work) => {
  expect(bytesToHex(work.chacha20(new Uint8Array(32), new Uint8Array(12), new Uint8Array(64)))).toBe(
    '76b8e0ada0f13d90405d6ae55386bd28bdd219b8a08ded1aa836efcc8b770dc7da41597c5157488d7724e03fb8d84a376a43b8f41518a11cc387b669b2ee6586'
  );
});

it('both ways agree on whatever they are given', () => {
  const key = hexToBytes('00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff');
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 400 }), fc.uint8Array({ minLength: 12, maxLength: 12 }), (bytes, nonce) => {
      expect(nativeBytes.sha256(bytes)).toEqual(sha256(bytes));
      expect(nativeBytes.chacha20(key, nonce, bytes)).toEqual(chacha20(key, nonce, bytes));
    })
  );
});

it('what is sealed is what another implementation of RFC 8439, 2.8, seals (node:crypto), and opens with no bit of it changed', () => {
  const bytes = fc.uint8Array({ minLength: 32, maxLength: 32 });
  fc.assert(
    fc.property(
      bytes,
      fc.uint8Array({ minLength: 12, maxLength: 12 }),
      fc.uint8Array({ maxLength: 200 }),
      fc.nat(),
      (key, nonce, content, at) => {
        const cipher = createCipheriv('chacha20-poly1305', key, nonce, { authTagLength: 16 });
        const theirs = Buffer.concat([cipher.update(content), cipher.final(), cipher.getAuthTag()]);
        const box = sealBox(key, nonce, content);
        expect(bytesToHex(box)).toBe(theirs.toString('hex'));
        expect(openBox(key, nonce, box)).toEqual(content);
        const other = box.slice();
        other[at % box.length]! ^= 1;
        expect(openBox(key, nonce, other)).toBeUndefined();
      }
    ),
    { numRuns: 60 }
  );
});
