import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import * as client from 'openid-client';
import { isLoopback, type Settings } from '../settings';

/** Somebody on the way to the provider and back. */
interface Underway {
  readonly verifier: string;
  readonly state: string;
  readonly nonce: string;
  readonly to: string;
  readonly untilMs: number;
}
const longestWayMs = 10 * 60_000;
const mostUnderway = 2_000;

/**
 * Sign-in through a provider of identities (OpenID Connect Core 1.0, authorization code with PKCE, RFC 7636). What is needed on the way
 * back is kept here under a random id; the browser holds that id only.
 */
export class Provider {
  private config: Promise<client.Configuration> | undefined;
  private readonly underway = new Map<string, Underway>();

  constructor(private readonly settings: Pick<Settings, 'oidc-issuer' | 'oidc-client' | 'oidc-secret-file'>) {}

  get there(): boolean {
    return this.settings['oidc-issuer'] !== undefined;
  }

  /** Its name for people: the host of its issuer. */
  get title(): string {
    return this.there ? new URL(this.settings['oidc-issuer']!).host : '';
  }

  private discovered(): Promise<client.Configuration> {
    if (!this.config) {
      const issuer = new URL(this.settings['oidc-issuer']!);
      const file = this.settings['oidc-secret-file'];
      const secret = file === undefined ? undefined : readFileSync(file, 'utf8').trim();
      // A provider on this machine may speak plainly; any other one has to use TLS.
      const execute = issuer.protocol === 'http:' && isLoopback(issuer.hostname) ? [client.allowInsecureRequests] : [];
      this.config = client.discovery(issuer, this.settings['oidc-client']!, secret, undefined, { execute });
      this.config.catch(() => (this.config = undefined));
    }
    return this.config;
  }

  /** Where the browser goes, and the id that it brings back. */
  async begin(back: string, to: string): Promise<{ url: string; id: string }> {
    const config = await this.discovered();
    const now = Date.now();
    for (const [id, one] of this.underway) if (one.untilMs < now || this.underway.size > mostUnderway) this.underway.delete(id);
    const id = randomBytes(24).toString('base64url');
    const one = {
      verifier: client.randomPKCECodeVerifier(),
      state: client.randomState(),
      nonce: client.randomNonce(),
      to,
      untilMs: now + longestWayMs
    };
    this.underway.set(id, one);
    const url = client.buildAuthorizationUrl(config, {
      redirect_uri: back,
      scope: 'openid profile email',
      code_challenge: await client.calculatePKCECodeChallenge(one.verifier),
      code_challenge_method: 'S256',
      state: one.state,
      nonce: one.nonce
    });
    return { url: url.href, id };
  }

  /** Who it is that came back; undefined where the way isn't known or was too long. Throws where the provider's answer doesn't hold. */
  async end(id: string, url: URL): Promise<{ name: string; to: string } | undefined> {
    const one = this.underway.get(id);
    this.underway.delete(id);
    if (!one || one.untilMs < Date.now()) return undefined;
    const tokens = await client.authorizationCodeGrant(await this.discovered(), url, {
      pkceCodeVerifier: one.verifier,
      expectedState: one.state,
      expectedNonce: one.nonce,
      idTokenExpected: true
    });
    const claims = tokens.claims();
    if (!claims) return undefined;
    // An address counts only where the provider has verified it; else the subject, which nobody chooses.
    const name = claims.email_verified === true && typeof claims.email === 'string' ? claims.email : claims.sub;
    return { name: name.replace(/[^\p{L}\d._@-]/gu, '-').slice(0, 60), to: one.to };
  }
}
