import { isAscii, isUtf8 } from 'node:buffer';

/** Bytes to text, a chunk at a time. A wrong byte is a TypeError, not a question mark. */
export interface Decoder {
  decode(chunk?: Uint8Array): string;
}

/** UTF-8 by way of buffers, which give strings of one byte a letter where they can; those are read twice as fast. */
function utf8(): Decoder {
  let left = Buffer.alloc(0);
  let first = true;
  return {
    decode(chunk) {
      if (!chunk) {
        if (left.length) throw new TypeError('a letter is cut off');
        return '';
      }
      const bytes = left.length ? Buffer.concat([left, chunk]) : Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength);
      // A letter has four bytes at the most; what has begun at the end waits for its rest.
      let end = bytes.length;
      for (let back = 1; back <= 3 && back <= bytes.length; back += 1) {
        const byte = bytes[bytes.length - back]!;
        if (byte < 0x80) break;
        if (byte >= 0xc0) {
          if (back < (byte >= 0xf0 ? 4 : byte >= 0xe0 ? 3 : 2)) end = bytes.length - back;
          break;
        }
      }
      const whole = bytes.subarray(0, end);
      left = Buffer.from(bytes.subarray(end));
      if (!isUtf8(whole)) throw new TypeError('no UTF-8');
      const text = isAscii(whole) ? whole.toString('latin1') : whole.toString('utf8');
      const bare = first && text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
      first = false;
      return bare;
    }
  };
}

function utf16(label: 'utf-16le' | 'utf-16be'): Decoder {
  const decoder = new TextDecoder(label, { fatal: true });
  return { decode: (chunk) => (chunk ? decoder.decode(chunk) : decoder.decode()) };
}

/** UTF-8 unless a byte-order mark, or zeros at every second place, say UTF-16. */
export function decoderFor(chunk: Uint8Array): Decoder {
  const [a, b] = chunk;
  if (a === 0xff && b === 0xfe) return utf16('utf-16le');
  if (a === 0xfe && b === 0xff) return utf16('utf-16be');
  if (a !== 0 && b === 0 && chunk[3] === 0) return utf16('utf-16le');
  if (a === 0 && b !== 0 && chunk[2] === 0) return utf16('utf-16be');
  return utf8();
}
