import { fromUint8Array, isValid, toUint8Array } from 'js-base64';
import { bytesToUtf8 } from '@noble/ciphers/utils.js';
import { utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import { digestOf, openBox, sealBox } from '../../../shared';
import { namedIn, readJson, textOfNamed } from '../../engines/copies';

const copyDocument = z.object({
  workload: z.string(),
  engine: z.string(),
  position: z.number(),
  /** The moment that it shows, virtual ms. */
  momentMs: z.number(),
  /** SHA-256 of the text of all that the engine held. */
  checksum: z.string(),
  /** All that the engine held in one text; with `base`, what of it is new or another than there. */
  tables: z.string(),
  /** The run before it that it holds the changes since. */
  base: z.string().optional(),
  /** What of the base is there no more, by name. */
  gone: z.array(z.string()).optional()
});
/** A copy of a workload's tables, as it lies in a bucket. */
export type CopyDocument = z.infer<typeof copyDocument>;

/** A copy out of a bucket, where anybody may have put something else: undefined then. */
export const copyIn = (text: string): CopyDocument | undefined => readJson(copyDocument, text);

/** What a copy holds where it is whole, and where it builds on a text. Undefined for what is no text of a copy. */
export function builtOn(base: string | undefined, { tables, gone = [] }: CopyDocument): string | undefined {
  const rows = namedIn(tables);
  if (!rows || base === undefined) return rows && tables;
  const all = new Map(namedIn(base));
  for (const name of gone) all.delete(name);
  for (const [name, value] of rows) all.set(name, value);
  return textOfNamed([...all]);
}

/** Names with prints of their values, by which a next copy tells what has changed. */
export type Prints = readonly (readonly [name: string, print: string])[];
/** Of all that is in the text of a copy. */
export const printsOf = (text: string): Prints =>
  (namedIn(text) ?? []).map(([name, value]) => [name, fromUint8Array(digestOf(utf8ToBytes(value)).slice(0, 12))]);

/** What has changed of a text since one with those prints. */
export function changesSince(text: string, before: Prints): { tables: string; gone: string[] } {
  const [now, old] = [new Map(printsOf(text)), new Map(before)];
  return {
    tables: textOfNamed((namedIn(text) ?? []).filter(([name]) => old.get(name) !== now.get(name))),
    gone: before.flatMap(([name]) => (now.has(name) ? [] : name)).sort()
  };
}

const sealMark = 'sealed:';
const keyFrom = (secret: string): Uint8Array => digestOf(utf8ToBytes(`copies ${secret}`));

/** A text sealed by a secret; the nonce follows from what is sealed and where it goes, so none serves twice. */
export function sealedText(text: string, secret: string, where: string): string {
  const nonce = digestOf(utf8ToBytes(`${where} ${text}`)).slice(0, 12);
  const box = sealBox(keyFrom(secret), nonce, utf8ToBytes(text));
  return `${sealMark}${fromUint8Array(nonce)}.${fromUint8Array(box)}`;
}

/** Whether something is sealed. */
export const isSealed = (text: string): boolean => text.startsWith(sealMark);

/** What was sealed; undefined where the secret is another one, or somebody altered it. */
export function openedText(text: string, secret: string): string | undefined {
  const [nonce = '', box = ''] = text.slice(sealMark.length).split('.');
  if (!isValid(nonce) || !isValid(box)) return undefined;
  const opened = openBox(keyFrom(secret), toUint8Array(nonce), toUint8Array(box));
  return opened && bytesToUtf8(opened);
}
