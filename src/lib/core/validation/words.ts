import { isAddress, isRange } from '../shared';
import { nameFault } from '../model';

/*
 * The forms that texts of the cluster API follow. Sources: RFC 1123, RFC 1035, RFC 6335 section 5.1 (names of ports), the cluster API's
 * "Object Names and IDs", "Labels and Selectors: Syntax and character set", "Annotations", "Environment Variables".
 */

const qualifiedPart = /^[A-Za-z0-9]([A-Za-z0-9_.-]*[A-Za-z0-9])?$/;

export const label = (text: string): string | undefined => nameFault(text, 'label');
export const subdomain = (text: string): string | undefined => nameFault(text, 'subdomain');

/** `name` or `prefix/name`: keys of labels and annotations, conditions, finalizers, resources. */
export function qualified(text: string): string | undefined {
  const parts = text.split('/');
  if (parts.length > 2) return 'has more than one "/"';
  const name = parts.at(-1)!;
  if (parts.length === 2) {
    const fault = subdomain(parts[0]!);
    if (fault) return `has a prefix that ${fault}`;
  }
  if (name === '') return 'has no name';
  if (name.length > 63) return `has a name of ${name.length} characters; at most 63 are allowed`;
  return qualifiedPart.test(name)
    ? undefined
    : 'may only hold letters, digits, "-", "_" and ".", and must start and end with a letter or digit';
}

/** The same, where a prefix has to stand. */
export const prefixed = (text: string): string | undefined =>
  text.includes('/') ? qualified(text) : 'has no prefix such as "example.com/"';

export function labelValue(text: string): string | undefined {
  if (text === '') return undefined;
  if (text.length > 63) return `has ${text.length} characters; at most 63 are allowed`;
  return qualifiedPart.test(text)
    ? undefined
    : 'may only hold letters, digits, "-", "_" and ".", and must start and end with a letter or digit';
}

/** The name of a port. */
export function portName(text: string): string | undefined {
  if (text === '') return 'is empty';
  if (text.length > 15) return `has ${text.length} characters; at most 15 are allowed`;
  if (!/^[a-z0-9-]+$/.test(text)) return 'may only hold lower-case letters, digits and "-"';
  if (!/[a-z]/.test(text)) return 'holds no letter';
  return /--|^-|-$/.test(text) ? 'may not begin or end with "-" nor hold two in a row' : undefined;
}

/** A key of a config map or a secret. */
export function dataKey(text: string): string | undefined {
  if (text === '') return 'is empty';
  if (text.length > 253) return `has ${text.length} characters; at most 253 are allowed`;
  if (!/^[-._a-zA-Z0-9]+$/.test(text)) return 'may only hold letters, digits, "-", "_" and "."';
  return text === '.' || text.startsWith('..') ? 'may not be "." nor begin with ".."' : undefined;
}

/** The name of a variable up to 1.31. */
export function strictVariable(text: string): string | undefined {
  if (!/^[-._a-zA-Z][-._a-zA-Z0-9]*$/.test(text)) return 'may only hold letters, digits, "-", "_" and ".", and may not begin with a digit';
  return text === '.' || text.startsWith('..') ? 'may not be "." nor begin with ".."' : undefined;
}

/** The name of a variable from 1.32 on. */
export function variable(text: string): string | undefined {
  if (text === '') return 'is empty';
  return /^[\x20-\x3c\x3e-\x7e]+$/.test(text) ? undefined : 'may only hold printable ASCII characters other than "="';
}

/** A path below another one. */
export function relativePath(text: string): string | undefined {
  if (text.startsWith('/')) return 'is no relative path';
  return climbs(text);
}
export const climbs = (text: string): string | undefined => (text.split('/').includes('..') ? 'may not hold ".."' : undefined);
export const absolutePath = (text: string): string | undefined => (text.startsWith('/') ? undefined : 'is no absolute path');

export const address = (text: string): string | undefined => (isAddress(text) ? undefined : 'is no IP address');
export const range = (text: string): string | undefined => (isRange(text) ? undefined : 'is no range of addresses');

/** The name of a driver: at most 63 characters, a subdomain in any case. */
export function driverName(text: string): string | undefined {
  if (text.length > 63) return `has ${text.length} characters; at most 63 are allowed`;
  return subdomain(text.toLowerCase());
}

/** Base64 of RFC 4648, with line breaks between. */
export const base64 = (text: string): string | undefined =>
  /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/.test(text.replace(/[\r\n]/g, '')) ? undefined : 'is not base64';

/** Bytes of a text in UTF-8. */
export const sizeOf = (text: string): number => {
  let bytes = 0;
  for (let i = 0; i < text.length; i += 1) {
    const code = text.charCodeAt(i);
    bytes += code < 0x80 ? 1 : code < 0x800 || (code >= 0xd800 && code < 0xe000) ? 2 : 3;
  }
  return bytes;
};

/** A share as its whole per cent, or a whole number; undefined where it is neither. */
export function shareOf(value: unknown): { readonly count: number; readonly percent: boolean } | undefined {
  if (typeof value === 'number') return Number.isInteger(value) && value >= 0 ? { count: value, percent: false } : undefined;
  const match = typeof value === 'string' ? /^(\d+)%$/.exec(value) : null;
  return match ? { count: Number(match[1]), percent: true } : undefined;
}
