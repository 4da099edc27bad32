/*
 * Figures and names held against programs of the machine: coreutils' numfmt (quantities), python3's ipaddress (RFC 4632), fractions
 * and hashlib (FIPS 180-4), and /etc/services (IANA's port numbers). Names: RFC 1123 and RFC 1035 by their published grammar.
 */
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { isIPv4 } from 'node:net';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { nameFault } from '$core/model';
import { bytesOf, milliCpuOf } from '$core/shared';
import { attachmentName, checksumOf, imageCard } from '$core/standin';
import { south } from '../core/help';
import { addressAt, prefixSize } from '../../src/lib/core/shared/addresses';

const python = (program: string, input: unknown): unknown =>
  JSON.parse(execFileSync('python3', ['-c', program], { input: JSON.stringify(input), encoding: 'utf8' }));

describe('quantities', () => {
  test('agree with numfmt on whole numbers', () => {
    for (const [text, from] of [
      ['100Gi', 'iec-i'],
      ['1Ei', 'iec-i'],
      ['7Ki', 'iec-i'],
      ['12Mi', 'iec-i'],
      ['3Ti', 'iec-i'],
      ['2Pi', 'iec-i'],
      ['100M', 'si'],
      ['100G', 'si'],
      ['5T', 'si']
    ] as const) {
      expect(bytesOf(text), text).toBe(Number(execFileSync('numfmt', [`--from=${from}`, text], { encoding: 'utf8' })));
    }
    // Worked figures of the cluster API's reference, "Quantity".
    expect([bytesOf('1Ei'), bytesOf('0.5G')]).toEqual([1_152_921_504_606_846_976, 500_000_000]);
  });

  test("agree with python's exact fractions on any decimal, suffix and exponent", () => {
    const scale = {
      '': '1',
      n: '1/1000000000',
      u: '1/1000000',
      m: '1/1000',
      k: '1000',
      M: '10**6',
      G: '10**9',
      Ki: '1024',
      Mi: '2**20',
      Gi: '2**30',
      e3: '1000',
      'e-2': '1/100',
      E2: '100'
    };
    const one = fc.tuple(fc.integer({ min: 0, max: 99_999 }), fc.integer({ min: 0, max: 999 }), fc.constantFrom(...Object.keys(scale)));
    const samples = fc.sample(one, 300).map(([whole, part, suffix]) => ({
      text: `${whole}.${String(part).padStart(3, '0')}${suffix}`,
      number: `${whole}.${String(part).padStart(3, '0')}`,
      suffix
    }));
    const program = `
import json, math, sys
from fractions import Fraction
scale = ${JSON.stringify(scale)}
def factor(s):
    e = scale[s]
    return Fraction(1, int(e[2:])) if e.startswith('1/') else Fraction(eval(e))
print(json.dumps([[math.ceil(Fraction(o['number']) * factor(o['suffix'])), math.ceil(Fraction(o['number']) * factor(o['suffix']) * 1000)] for o in json.load(sys.stdin)]))`;
    const expected = python(program, samples) as [number, number][];
    samples.forEach(({ text }, i) => expect([bytesOf(text), milliCpuOf(text)], text).toEqual(expected[i]));
  });
});

describe('addresses (RFC 4632, python ipaddress)', () => {
  test('size and members of random ranges', () => {
    const range = fc.tuple(
      fc.nat({ max: 255 }),
      fc.nat({ max: 255 }),
      fc.nat({ max: 255 }),
      fc.nat({ max: 255 }),
      fc.integer({ min: 8, max: 30 }),
      fc.nat({ max: 70_000 })
    );
    const samples = fc.sample(range, 200).map(([a, b, c, d, bits, place]) => ({ cidr: `${a}.${b}.${c}.${d}/${bits}`, place }));
    const program = `
import ipaddress, json, sys
out = []
for o in json.load(sys.stdin):
    n = ipaddress.ip_network(o['cidr'], strict=False)
    out.append([n.num_addresses, str(n[o['place'] % n.num_addresses])])
print(json.dumps(out))`;
    const expected = python(program, samples) as [number, string][];
    samples.forEach(({ cidr, place }, i) => {
      expect([prefixSize(cidr), addressAt(cidr, place)], cidr).toEqual(expected[i]);
      expect(isIPv4(addressAt(cidr, place))).toBe(true);
    });
  });
});

describe('names', () => {
  // RFC 1123 2.1: letters, digits and hyphens, no hyphen at either end, 1 to 63; RFC 1035 2.3.1: starts with a letter.
  const rfc1123 = /^(?!-)[a-z0-9-]{1,63}(?<!-)$/;
  const rfc1035 = /^[a-z]([a-z0-9-]{0,61}[a-z0-9])?$/;
  test('labels by the grammars of RFC 1123 and RFC 1035, 63 in and 64 out, 253 in and 254 out', () => {
    const letters = fc.string({ unit: fc.constantFrom(...'ab9-._AZ'), maxLength: 66 });
    fc.assert(
      fc.property(letters, (text) => {
        expect(nameFault(text, 'label') === undefined).toBe(rfc1123.test(text));
        expect(nameFault(text, 'service') === undefined).toBe(rfc1035.test(text));
        expect(nameFault(text, 'subdomain') === undefined).toBe(
          text.split('.').every((part) => /^[a-z0-9]([a-z0-9-]*[a-z0-9])?$/.test(part)) && text.length > 0
        );
      })
    );
    const long = (n: number) => `${'a'.repeat(63)}.${'b'.repeat(63)}.${'c'.repeat(63)}.${'d'.repeat(n)}`;
    expect([nameFault(long(61), 'subdomain'), nameFault(long(62), 'subdomain') !== undefined]).toEqual([undefined, true]);
  });

  test('names that the stand-in makes are names', () => {
    expect(nameFault(attachmentName('pvc-1', 'node-1'), 'subdomain')).toBeUndefined();
    for (const kind of ['Pod', 'PersistentVolumeClaim', 'Event', 'CSINode'] as const)
      for (const one of south().store.list(kind)) expect(nameFault(one.metadata.name, 'subdomain'), one.metadata.name).toBeUndefined();
  });
});

describe('checksums and ports', () => {
  test('SHA-256 as node and python compute it (FIPS 180-4; "abc" is its first example)', () => {
    const rows: [string, string][] = [
      ['a', '1'],
      ['b\tc', 'é']
    ];
    const text = 'a\t1\nb\tc\té\n';
    expect(checksumOf(rows)).toBe(createHash('sha256').update(text).digest('hex'));
    expect(checksumOf(rows)).toBe(
      python('import hashlib, json, sys; print(json.dumps(hashlib.sha256(json.load(sys.stdin).encode()).hexdigest()))', text)
    );
  });

  test("the engines' made-up ports take no well-known one (IANA, /etc/services)", () => {
    const listed = existsSync('/etc/services') ? readFileSync('/etc/services', 'utf8') : '';
    const taken = new Set([...listed.matchAll(/^\S+\s+(\d+)\/(?:tcp|udp)/gm)].map((one) => Number(one[1])));
    for (const image of ['multi-primary-sql', 'log-coordinator', 'log-broker', 'image-shelf'])
      for (const port of imageCard(`shelf.standin.example/engines/${image}:1`).ports ?? [])
        expect([22, 53, 111, 443, 2049, 3260].includes(port) || (port < 1024 && taken.has(port))).toBe(false);
  });
});
