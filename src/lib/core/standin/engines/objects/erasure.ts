import { ReedSolomonErasure } from '@digitaldefiance/reed-solomon-erasure.wasm';
import wasmUrl from '@digitaldefiance/reed-solomon-erasure.wasm/wasm?url&inline';
import { toUint8Array } from 'js-base64';
import { CoreError } from '../../../shared';

/** What is used of the platform's WebAssembly; the core is compiled without a browser's types. */
interface Wasm {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object) => { readonly exports: object };
}
const { Module, Instance } = (globalThis as unknown as { WebAssembly: Wasm }).WebAssembly;
// The package's own factory compiles anew each time; what it then calls is kept from its types alone.
const Coder = ReedSolomonErasure as unknown as new (exports: object) => ReedSolomonErasure;

let compiled: object | undefined;
let coder: ReedSolomonErasure | undefined;

/** A reconstruction spoils an instance for the next one, so each has its own; what all of them run is compiled once. */
function fresh(): ReedSolomonErasure {
  compiled ??= new Module(toUint8Array(wasmUrl.slice(wasmUrl.indexOf(',') + 1)));
  return new Coder(new Instance(compiled).exports);
}

/**
 * Cuts bytes into `data` shards of equal length and adds `parity` more; any `data` of them give the bytes back. Source: Reed and Solomon
 * (1960); the package named above does the arithmetic.
 * @param data 1 or more; @param parity 0 or more; both together at most 255
 */
export function encode(body: Uint8Array, data: number, parity: number): Uint8Array[] {
  if (data < 1 || parity < 0 || data + parity > 255) throw new CoreError('encode', 'between 1 and 255 shards', `${data}+${parity}`);
  const size = Math.max(1, Math.ceil(body.length / data));
  const all = new Uint8Array(size * (data + parity));
  all.set(body);
  if (parity) {
    coder ??= fresh();
    const result = coder.encode(all, data, parity);
    if (result !== ReedSolomonErasure.RESULT_OK) throw new CoreError('encode', 'the package must take the shards', result);
  }
  return Array.from({ length: data + parity }, (_, i) => all.slice(i * size, (i + 1) * size));
}

/** The bytes again, from as many shards as there were data shards; undefined where fewer are left. */
export function decode(shards: readonly (Uint8Array | undefined)[], data: number, parity: number, length: number): Uint8Array | undefined {
  const there = shards.map((one) => one !== undefined);
  const size = shards.find((one) => one !== undefined)?.length ?? 0;
  if (there.filter(Boolean).length < data) return undefined;
  const all = new Uint8Array(size * (data + parity));
  shards.forEach((one, i) => one && all.set(one, i * size));
  if (there.slice(0, data).includes(false)) {
    const result = fresh().reconstruct(all, data, parity, there);
    if (result !== ReedSolomonErasure.RESULT_OK) throw new CoreError('decode', 'enough shards must suffice', result);
  }
  return all.slice(0, length);
}
