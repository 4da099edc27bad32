import 'reflect-metadata';
import { p256 } from '@noble/curves/nist.js';
import { sha256 } from '@noble/hashes/sha2.js';
import { utf8ToBytes } from '@noble/hashes/utils.js';
import { ECPrivateKey, ECParameters, id_ecdsaWithSHA256, id_ecPublicKey, id_secp256r1 } from '@peculiar/asn1-ecc';
import { PrivateKeyInfo } from '@peculiar/asn1-pkcs8';
import { AsnConvert, OctetString } from '@peculiar/asn1-schema';
import * as asn1 from '@peculiar/asn1-x509';
import { X509Certificate } from '@peculiar/x509';
import { decode, fromUint8Array, toUint8Array } from 'js-base64';

/** A key pair with its certificate, in PEM. Source: RFC 7468. */
export interface KeyPair {
  readonly certificate: string;
  readonly key: string;
}

const pem = (label: string, bytes: ArrayBuffer): string => {
  const text = fromUint8Array(new Uint8Array(bytes)).replace(/.{64}(?=.)/g, '$&\n');
  return `-----BEGIN ${label}-----\n${text}\n-----END ${label}-----\n`;
};
const derOf = (text: string): Uint8Array => toUint8Array(text.replace(/-----[^-]+-----/g, '').replace(/\s/g, ''));
const bufferOf = (bytes: Uint8Array): ArrayBuffer => bytes.slice().buffer as ArrayBuffer;

/** A private key that follows from a text: a stand-in's world must be the same each time. No use outside of one. */
function privateKeyOf(text: string): Uint8Array {
  let digest = sha256(utf8ToBytes(text));
  while (!p256.utils.isValidSecretKey(digest)) digest = sha256(digest);
  return digest;
}

const curve = (): ArrayBuffer => AsnConvert.serialize(new ECParameters({ namedCurve: id_secp256r1 }));
const algorithm = (): asn1.AlgorithmIdentifier => new asn1.AlgorithmIdentifier({ algorithm: id_ecPublicKey, parameters: curve() });
const signing = (): asn1.AlgorithmIdentifier => new asn1.AlgorithmIdentifier({ algorithm: id_ecdsaWithSHA256 });

const nameOf = (common: string): asn1.Name =>
  new asn1.Name([
    new asn1.RelativeDistinguishedName([
      new asn1.AttributeTypeAndValue({ type: '2.5.4.3', value: new asn1.AttributeValue({ utf8String: common }) })
    ])
  ]);

function keyPem(key: Uint8Array): string {
  const inner = new ECPrivateKey({ privateKey: new OctetString(bufferOf(key)), publicKey: bufferOf(p256.getPublicKey(key, false)) });
  return pem(
    'PRIVATE KEY',
    AsnConvert.serialize(new PrivateKeyInfo({ privateKeyAlgorithm: algorithm(), privateKey: new OctetString(AsnConvert.serialize(inner)) }))
  );
}

const keyIn = (text: string): Uint8Array => {
  const info = AsnConvert.parse(bufferOf(derOf(text)), PrivateKeyInfo);
  return new Uint8Array(AsnConvert.parse(info.privateKey.buffer, ECPrivateKey).privateKey.buffer);
};

interface Wish {
  readonly subject: string;
  readonly issuer: string;
  readonly publicKey: Uint8Array;
  readonly signer: Uint8Array;
  readonly signerPublic: Uint8Array;
  readonly fromMs: number;
  readonly untilMs: number;
  readonly names?: readonly string[];
}

const keyId = (publicKey: Uint8Array): ArrayBuffer => bufferOf(sha256(publicKey).slice(0, 20));
const extension = (id: string, critical: boolean, value: object): asn1.Extension =>
  new asn1.Extension({ extnID: id, critical, extnValue: new OctetString(AsnConvert.serialize(value)) });

/** Signs a certificate. Source: RFC 5280 for its fields, RFC 5758 for ECDSA with SHA-256 in it. */
function signed({ subject, issuer, publicKey, signer, signerPublic, fromMs, untilMs, names }: Wish): string {
  const serial = sha256(utf8ToBytes(`${subject}|${fromMs}|${(names ?? []).join(',')}`)).slice(0, 16);
  serial[0] = (serial[0]! & 0x7f) | 0x01;
  const flags = names ? asn1.KeyUsageFlags.digitalSignature : asn1.KeyUsageFlags.keyCertSign | asn1.KeyUsageFlags.cRLSign;
  const tbs = new asn1.TBSCertificate({
    version: asn1.Version.v3,
    serialNumber: bufferOf(serial),
    signature: signing(),
    issuer: nameOf(issuer),
    subject: nameOf(subject),
    validity: new asn1.Validity({ notBefore: new Date(fromMs), notAfter: new Date(untilMs) }),
    subjectPublicKeyInfo: new asn1.SubjectPublicKeyInfo({ algorithm: algorithm(), subjectPublicKey: bufferOf(publicKey) }),
    extensions: new asn1.Extensions([
      extension(asn1.id_ce_basicConstraints, true, new asn1.BasicConstraints({ cA: !names })),
      extension(asn1.id_ce_keyUsage, true, new asn1.KeyUsage(flags)),
      extension(asn1.id_ce_subjectKeyIdentifier, false, new asn1.SubjectKeyIdentifier(keyId(publicKey))),
      extension(
        asn1.id_ce_authorityKeyIdentifier,
        false,
        new asn1.AuthorityKeyIdentifier({ keyIdentifier: new asn1.KeyIdentifier(keyId(signerPublic)) })
      ),
      ...(names
        ? [
            extension(
              asn1.id_ce_subjectAltName,
              false,
              new asn1.SubjectAlternativeName(names.map((one) => new asn1.GeneralName({ dNSName: one })))
            ),
            extension(asn1.id_ce_extKeyUsage, false, new asn1.ExtendedKeyUsage([asn1.id_kp_serverAuth, asn1.id_kp_clientAuth]))
          ]
        : [])
    ])
  });
  const bytes = AsnConvert.serialize(tbs);
  const signature = p256.sign(new Uint8Array(bytes), signer, { format: 'der' });
  return pem(
    'CERTIFICATE',
    AsnConvert.serialize(new asn1.Certificate({ tbsCertificate: tbs, signatureAlgorithm: signing(), signatureValue: bufferOf(signature) }))
  );
}

/** An authority that signs itself; its key follows from the text. Times are ms of the calendar. */
export function makeAuthority(text: string, common: string, fromMs: number, untilMs: number): KeyPair {
  const key = privateKeyOf(text);
  const publicKey = p256.getPublicKey(key, false);
  return {
    certificate: signed({ subject: common, issuer: common, publicKey, signer: key, signerPublic: publicKey, fromMs, untilMs }),
    key: keyPem(key)
  };
}

/** A certificate for names, signed by an authority. */
export function issue(authority: KeyPair, text: string, names: readonly string[], fromMs: number, untilMs: number): KeyPair {
  const key = privateKeyOf(text);
  const signer = keyIn(authority.key);
  const issuer = AsnConvert.parse(bufferOf(derOf(authority.certificate)), asn1.Certificate).tbsCertificate.subject;
  const common = issuer[0]?.[0]?.value.toString() ?? 'authority';
  // The common name may hold 64 characters; what counts are the alternative names. Source: RFC 9525, 2.
  return {
    certificate: signed({
      subject: (names[0] ?? '').slice(0, 64),
      issuer: common,
      publicKey: p256.getPublicKey(key, false),
      signer,
      signerPublic: p256.getPublicKey(signer, false),
      fromMs,
      untilMs,
      names
    }),
    key: keyPem(key)
  };
}

/** Whether a certificate in a secret was signed by an authority in another. */
export const readKeyPair = (data: Readonly<Record<string, string>> | undefined): KeyPair | undefined => {
  const [certificate, key] = [data?.['tls.crt'], data?.['tls.key']];
  if (certificate === undefined || key === undefined) return undefined;
  const pair = { certificate: decode(certificate), key: decode(key) };
  return pair.certificate.includes('BEGIN CERTIFICATE') && pair.key.includes('PRIVATE KEY') ? pair : undefined;
};

/** What counts of a certificate when it is shown: its names and when it holds (ms of the calendar). */
export interface CertificateFacts {
  readonly names: readonly string[];
  readonly fromMs: number;
  readonly untilMs: number;
}

const read = new Map<string, CertificateFacts | null>();

/** Reads a certificate in PEM; undefined for what isn't one. */
export function certificateFacts(text: string): CertificateFacts | undefined {
  let found = read.get(text);
  if (found === undefined) {
    try {
      const one = new X509Certificate(text);
      const parsed = AsnConvert.parse(one.rawData, asn1.Certificate);
      const names = (parsed.tbsCertificate.extensions ?? [])
        .filter((two) => two.extnID === asn1.id_ce_subjectAltName)
        .flatMap((two) => AsnConvert.parse(two.extnValue.buffer, asn1.SubjectAlternativeName).flatMap((three) => three.dNSName ?? []));
      found = { names, fromMs: one.notBefore.getTime(), untilMs: one.notAfter.getTime() };
    } catch {
      found = null;
    }
    if (read.size > 500) read.clear();
    read.set(text, found);
  }
  return found ?? undefined;
}

const decoded = new Map<string, CertificateFacts | undefined>();

/** The same of a certificate as a secret carries it, in base64. */
export function certificateInSecret(text: string): CertificateFacts | undefined {
  if (decoded.has(text)) return decoded.get(text);
  const found = certificateFacts(decode(text));
  if (decoded.size > 500) decoded.clear();
  decoded.set(text, found);
  return found;
}

/**
 * Whether a name in a certificate covers a name that is called. A wildcard covers exactly one label, the leftmost. Source: RFC 9525, 6.3.
 * @example nameCovers('*.db.ns.svc', 'db-0.db.ns.svc') // true; nameCovers('*.db.ns.svc', 'db.ns.svc') // false
 */
export function nameCovers(pattern: string, name: string): boolean {
  const [p, n] = [pattern.toLowerCase(), name.toLowerCase()];
  if (!p.startsWith('*.')) return p === n;
  const dot = n.indexOf('.');
  return dot > 0 && n.slice(dot) === p.slice(1);
}
