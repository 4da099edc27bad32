import { spawnSync } from 'node:child_process';
import { X509Certificate } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from 'vitest';
import { decode } from 'js-base64';
import { namesOver, certificateFacts, Estate, issue, makeAuthority } from '$core/standin';
import type { DocumentSet, Facts } from '$core/model';
import { epochMs } from '$core/shared';
import { operatedParts } from '../core/estate/help';

const folder = mkdtempSync(join(tmpdir(), 'root-barn-certs-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const names = ['crew-0.crew.people.svc.cluster.local', '*.crew.people.svc.cluster.local', 'crew.people.svc.cluster.local'];
const now = Date.now();
const authority = makeAuthority('one', 'authority of people', now - 60_000, now + 9e9);
const other = makeAuthority('two', 'somebody else', now - 60_000, now + 9e9);
const leaf = issue(authority, 'leaf', names, now - 60_000, now + 8e9);
const file = (name: string, text: string): string => {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
};
const openssl = (...args: string[]) => spawnSync('openssl', args, { encoding: 'utf8' });

// Sources: RFC 5280 and RFC 9525, as openssl and node:crypto read them.
describe('certificates that the stand-in issues', () => {
  test('openssl takes them under its strict rules for a server, from their own authority and no other', () => {
    const verify = (ca: string) =>
      openssl('verify', '-x509_strict', '-purpose', 'sslserver', '-CAfile', file('ca.pem', ca), file('leaf.pem', leaf.certificate));
    expect(verify(authority.certificate)).toMatchObject({ status: 0 });
    expect(verify(other.certificate).status).not.toBe(0);
  });

  test('openssl finds the key to belong to the certificate', () => {
    const key = openssl('pkey', '-in', file('leaf.key', leaf.key), '-pubout').stdout;
    const certificate = openssl('x509', '-in', file('leaf.pem', leaf.certificate), '-pubkey', '-noout').stdout;
    expect(key).toContain('BEGIN PUBLIC KEY');
    expect(certificate).toBe(key);
  });

  test('node:crypto finds its names, and a wildcard for exactly one label', () => {
    const read = new X509Certificate(leaf.certificate);
    expect(read.checkHost('crew-0.crew.people.svc.cluster.local')).toBeDefined();
    expect(read.checkHost('crew-7.crew.people.svc.cluster.local')).toBeDefined();
    expect(read.checkHost('a.crew-0.crew.people.svc.cluster.local')).toBeUndefined();
    expect(read.checkHost('crew-0.crew.people.svc')).toBeUndefined();
    expect(read.verify(new X509Certificate(authority.certificate).publicKey)).toBe(true);
    expect(certificateFacts(leaf.certificate)).toMatchObject({ names, untilMs: Math.floor((now + 8e9) / 1_000) * 1_000 });
  });
});

describe('the certificate of members in three clusters, run from a fourth', () => {
  const estate = Estate.replay(operatedParts(), 90_000);
  estate.runUntil(estate.nowMs + 1_200_000);
  const clusters = ['east', 'north', 'west'];
  const facts = (cluster: string) => estate.world(cluster)!.store as Facts;
  const shown = (cluster: string) => {
    const { data = {} } = facts(cluster).get('Secret', 'people', 'crew-tls')!;
    return { leaf: decode(data['tls.crt']!), key: decode(data['tls.key']!), ca: decode(data['ca.crt']!) };
  };

  test('openssl takes it in each cluster by the authority that lies there, at the clock’s moment, for every name of every member', () => {
    const one = facts('south').get('DocumentSet', 'people', 'crew') as DocumentSet;
    const wanted = namesOver(facts('south'), one);
    // Five members by two names each, and the service by its name in each cluster and over the links.
    expect(wanted.length).toBeGreaterThanOrEqual(5 * 2 + 3);
    const at = String(Math.floor((epochMs + estate.nowMs) / 1_000));
    for (const cluster of clusters) {
      const { leaf, key, ca } = shown(cluster);
      const authorities = facts(cluster).get('ConfigMap', 'people', 'crew-authorities')!.data!['authorities.pem']!;
      expect(authorities).toBe(ca);
      const [pem, roots, own] = [file(`${cluster}.pem`, leaf), file(`${cluster}-ca.pem`, authorities), file(`${cluster}.key`, key)];
      for (const host of wanted)
        expect([
          cluster,
          host,
          openssl('verify', '-x509_strict', '-attime', at, '-purpose', 'sslserver', '-verify_hostname', host, '-CAfile', roots, pem).status
        ]).toEqual([cluster, host, 0]);
      expect(
        openssl('verify', '-attime', at, '-verify_hostname', 'crew-9.crew.people.svc.cluster.local', '-CAfile', roots, pem).status
      ).not.toBe(0);
      expect(openssl('pkey', '-in', own, '-pubout').stdout).toBe(openssl('x509', '-in', pem, '-pubkey', '-noout').stdout);
    }
    // One certificate for all of them.
    expect(new Set(clusters.map((cluster) => shown(cluster).leaf)).size).toBe(1);
  });
});
