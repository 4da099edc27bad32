import { readdirSync } from 'node:fs';
import { createServer } from 'node:http';
import { exportJWK, generateKeyPair, SignJWT } from 'jose';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { Attempts } from '$server/access/attempts';
import { hashPassword, passwordFault, passwordHolds } from '$server/access/passwords';
import { returnTo } from '$server/access/return-to';
import { holds, roles, type Role } from '$server/access/roles';
import { endpoints } from '$server/api/endpoints';
import { neededFor } from '$server/api/endpoint';
import { differs } from './kept';
import { ownServer, type OwnServer } from '../../scripts/own-server.mjs';

/**
 * Sign-in, roles and sessions. Names of tests are the requirements of OWASP ASVS 5.0 that they stand for (numbers from memory of the
 * standard); docs/security.md tells of all of them.
 */
const servers: OwnServer[] = [];
afterAll(() => servers.forEach((one) => one.end()));
const words = { keeper: 'tall masts in winter', engineer: 'seven grey herons', reader: 'a lamp by the slip' };
let server: OwnServer;
const tokens = new Map<Role, string>();

interface Told {
  status: number;
  body: Record<string, unknown>;
  cookie: string | undefined;
  headers: Headers;
}
async function call(
  method: string,
  path: string,
  body?: object | string,
  headers: Record<string, string> = {},
  base = server.base
): Promise<Told> {
  const answer = await fetch(`${base}${path.startsWith('/api') ? path : `/api/v1${path}`}`, {
    method,
    redirect: 'manual',
    headers: { 'content-type': 'application/json', ...headers },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) })
  });
  const text = await answer.text();
  const described = answer.ok && !path.startsWith('/api');
  const json = answer.headers.get('content-type')?.includes('json') ? (JSON.parse(text) as Record<string, unknown>) : {};
  if (described) expect(differs(method, path, json)).toBe('');
  return { status: answer.status, body: json, cookie: answer.headers.get('set-cookie')?.split(';')[0], headers: answer.headers };
}
const bearer = (role: Role) => ({ authorization: `Bearer ${tokens.get(role)}` });
/** As a page of ours would: with the cookie and the origin. */
const from = (cookie: string) => ({ cookie, origin: server.base });
const signIn = async (role: Role) =>
  (await call('POST', '/session', { name: role, password: words[role] }, { origin: server.base })).cookie!;

beforeAll(async () => {
  server = await ownServer({ quiet: true, flags: ['--listen', '0.0.0.0'] });
  servers.push(server);
  const code = /with the code (\S+) /.exec(server.said())![1]!;
  expect((await call('POST', '/first-keeper', { code: `${code}x`, name: 'keeper', password: words.keeper })).status).toBe(401);
  const made = await call('POST', '/first-keeper', { code, name: 'keeper', password: words.keeper }, { origin: server.base });
  expect(made.status).toBe(200);
  // Once, and no more.
  expect((await call('POST', '/first-keeper', { code, name: 'second', password: words.keeper })).status).toBe(401);
  for (const role of ['reader', 'engineer'] as const)
    expect((await call('POST', '/accounts', { name: role, role, password: words[role] }, from(made.cookie!))).status).toBe(201);
  for (const role of roles)
    tokens.set(role, (await call('POST', '/tokens', { name: role, role, days: 1 }, from(made.cookie!))).body.token as string);
}, 60_000);

describe('8.2.1, 8.3.1: who may what, on the server', () => {
  test('every endpoint, for a stranger, a reader, an engineer and a keeper, as it declares itself', async () => {
    const table: string[] = [];
    for (const one of endpoints) {
      const path = one.path.replace(/\{\w+\}/g, 'nothing-here');
      const needed = neededFor(one);
      const body = one.body === undefined || one.method === 'GET' ? undefined : '{}';
      const stranger = await call(one.method, path, body);
      if (needed === 'open')
        expect([401, 403].includes(stranger.status) && stranger.body.type === 'urn:root-barn:problem:sign-in-needed', path).toBe(false);
      else expect([one.path, stranger.status, Object.keys(stranger.body).includes('items')]).toEqual([one.path, 401, false]);
      for (const role of roles) {
        // Nothing that ends what the next calls need.
        if (/first-keeper|^\/session/.test(one.path)) continue;
        const { status, body: said } = await call(one.method, path, body, bearer(role));
        const may = needed === 'open' || holds(role, needed);
        expect([
          one.method,
          one.path,
          role,
          said.type === 'urn:root-barn:problem:role-needed' || said.type === 'urn:root-barn:problem:sign-in-needed'
        ]).toEqual([one.method, one.path, role, !may]);
        if (!may) expect(status).toBe(403);
      }
      table.push(`${needed} ${one.method} ${one.path}`);
    }
    expect(table.length).toBeGreaterThan(90);
    expect(table.filter((one) => one.startsWith('open ')).sort()).toEqual([
      'open GET /session',
      'open POST /first-keeper',
      'open POST /session'
    ]);
  }, 120_000);

  test('every page: a stranger gets to the sign-in page and sees nothing', async () => {
    const pages = readdirSync('src/routes', { recursive: true, encoding: 'utf8' })
      .filter((one) => /\+(page\.svelte|server\.ts)$/.test(one))
      .map((one) => `/${one.split('/').slice(0, -1).join('/')}`.replace('[...path]', 'rehearsals').replace(/\[\w+\]/g, 'south-quay'));
    expect(pages.length).toBeGreaterThan(35);
    for (const path of new Set(pages)) {
      if (/^\/(sign-in.*|healthz|readyz)$/.test(path)) continue;
      for (const accept of ['text/html', 'application/json']) {
        const answer = await fetch(server.base + path, { redirect: 'manual', headers: { accept } });
        const text = await answer.text();
        expect([path, [303, 401].includes(answer.status)]).toEqual([path, true]);
        expect(text).not.toMatch(/tickets|bookings/);
      }
      const data = await fetch(`${server.base}${path === '/' ? '' : path}/__data.json`, { redirect: 'manual' });
      expect(await data.text()).not.toMatch(/tickets|bookings/);
    }
    // However a path is written, it is the same page.
    for (const path of [
      '/api/v1/rehearsals/south-quay/liv%65',
      '/api/v1/openap%69.json',
      '/%61ccounts',
      '/m%65trics',
      '/deeds/',
      '//deeds',
      '/sign-in/../deeds'
    ]) {
      const text = await (await fetch(server.base + path, { headers: { accept: 'application/json' } })).text();
      expect(text, path).toMatch(/sign-in-needed|There is nothing here/);
    }
    for (const path of ['/sign-in', '/healthz', '/readyz']) expect((await fetch(server.base + path)).status, path).toBe(200);
    const reader = await signIn('reader');
    expect((await fetch(`${server.base}/r/south-quay/members`, { headers: { cookie: reader } })).status).toBe(200);
    for (const path of [
      '/accounts',
      '/%61ccounts',
      '/accounts/__data.json',
      '/deeds',
      '/deeds/csv',
      '/d%65eds/csv',
      '/metrics',
      '/metric%73',
      '/r/south-quay/handover/manifests.yaml?secrets=keep'
    ])
      expect((await fetch(server.base + path, { headers: { cookie: reader } })).status, path).toBe(403);
    expect((await call('GET', '/rehearsals/south-quay/objects?secrets=keep', undefined, bearer('reader'))).status).toBe(403);
  });
});

describe('sessions', () => {
  test('7.2.4 (fixation): an id that was there before is of no use after sign-in, and each sign-in has its own', async () => {
    const chosen = `root-barn=${'a'.repeat(43)}`;
    const first = await call('POST', '/session', { name: 'reader', password: words.reader }, { origin: server.base, cookie: chosen });
    expect(first.cookie).not.toBe(chosen);
    expect((await call('GET', '/rehearsals', undefined, { cookie: chosen })).status).toBe(401);
    const second = await call('POST', '/session', { name: 'reader', password: words.reader }, from(first.cookie!));
    expect(second.cookie).not.toBe(first.cookie);
    expect((await call('GET', '/rehearsals', undefined, { cookie: first.cookie! })).status).toBe(401);
    expect((await call('GET', '/rehearsals', undefined, { cookie: second.cookie! })).status).toBe(200);
  });

  test('3.3.1, 3.3.2, 3.3.4: the cookie is HttpOnly and SameSite, and Secure behind TLS', async () => {
    const plain = await call('POST', '/session', { name: 'reader', password: words.reader }, { origin: server.base });
    expect(plain.headers.get('set-cookie')).toMatch(/^root-barn=[\w-]{43}; Path=\/; HttpOnly; SameSite=Lax; Max-Age=604800$/);
    const proxied = await ownServer({ quiet: true, flags: ['--origin', 'https://barn.example', '--trust-forwarded'], port: 4391 });
    servers.push(proxied);
    const base = 'http://127.0.0.1:4391';
    const code = /with the code (\S+) /.exec(proxied.said())![1]!;
    const made = await call(
      'POST',
      '/first-keeper',
      { code, name: 'k', password: words.keeper },
      { 'x-forwarded-proto': 'https', 'x-forwarded-host': 'barn.example', origin: 'https://barn.example' },
      base
    );
    expect(made.headers.get('set-cookie')).toMatch(/^__Host-root-barn=.*; Secure$/);
    expect(made.headers.get('strict-transport-security')).toBe('max-age=31536000');
  });

  test('7.4.1, 7.4.2: signed out, with another password or an ended account a session is over', async () => {
    const keeper = await signIn('keeper');
    const one = await signIn('engineer');
    const two = await signIn('engineer');
    expect((await call('DELETE', '/session', undefined, from(one))).headers.get('set-cookie')).toMatch(/^root-barn=;.*Max-Age=0/);
    expect((await call('GET', '/rehearsals', undefined, { cookie: one })).status).toBe(401);
    expect((await call('PUT', '/session/password', { old: 'wrong', password: 'eight bells at noon' }, from(two))).status).toBe(401);
    const three = await signIn('engineer');
    expect((await call('PUT', '/session/password', { old: words.engineer, password: 'eight bells at noon' }, from(two))).status).toBe(200);
    expect((await call('GET', '/rehearsals', undefined, { cookie: three })).status).toBe(401);
    expect((await call('GET', '/rehearsals', undefined, { cookie: two })).status).toBe(200);
    expect((await call('PUT', '/accounts/engineer', { password: words.engineer }, from(keeper))).status).toBe(200);
    expect((await call('GET', '/rehearsals', undefined, { cookie: two })).status).toBe(401);
    const four = await signIn('engineer');
    expect((await call('DELETE', '/accounts/engineer', undefined, from(keeper))).status).toBe(200);
    expect((await call('GET', '/rehearsals', undefined, { cookie: four })).status).toBe(401);
    expect((await call('POST', '/session', { name: 'engineer', password: words.engineer })).status).toBe(401);
    expect(await call('DELETE', '/accounts/keeper', undefined, from(keeper))).toMatchObject({
      status: 409,
      body: { type: 'urn:root-barn:problem:last-keeper' }
    });
    // A token can be ended, and ends by itself.
    const token = (await call('POST', '/tokens', { name: 'short', role: 'reader', days: 1 }, from(keeper))).body as {
      id: number;
      token: string;
    };
    expect((await call('GET', '/rehearsals', undefined, { authorization: `Bearer ${token.token}` })).status).toBe(200);
    await call('DELETE', `/tokens/${token.id}`, undefined, from(keeper));
    expect((await call('GET', '/rehearsals', undefined, { authorization: `Bearer ${token.token}` })).status).toBe(401);
  });

  test('7.4.1: an event stream that was open ends at once with its session, its account or its token', async () => {
    const keeper = await signIn('keeper');
    const made = await call('POST', '/accounts', { name: 'guest', role: 'reader', password: words.reader }, from(keeper));
    expect(made.status).toBe(201);
    const guest = (await call('POST', '/session', { name: 'guest', password: words.reader }, { origin: server.base })).cookie!;
    const { id, token } = (await call('POST', '/tokens', { name: 'short', role: 'reader', days: 1 }, from(keeper))).body;
    const streamOf = async (headers: Record<string, string>) => {
      const reader = (await fetch(`${server.base}/api/v1/rehearsals/all/live`, { headers })).body!.getReader();
      await reader.read();
      const ended = (async () => {
        while (!(await reader.read()).done);
        return true;
      })();
      return () => Promise.race([ended, new Promise((done) => setTimeout(() => done('still open'), 3_000))]);
    };
    const streams = [
      [{ cookie: guest }, () => call('DELETE', '/accounts/guest', undefined, from(keeper))],
      [{ authorization: `Bearer ${token as string}` }, () => call('DELETE', `/tokens/${id as number}`, undefined, from(keeper))],
      [{ cookie: keeper }, () => call('DELETE', '/session', undefined, from(keeper))]
    ] as const;
    const open = [];
    for (const [headers] of streams) open.push(await streamOf(headers));
    for (const [i, [headers, end]] of streams.entries()) {
      expect((await end()).status).toBe(200);
      expect(await open[i]!(), Object.keys(headers)[0]!).toBe(true);
      expect((await fetch(`${server.base}/api/v1/rehearsals/all/live`, { headers })).status).toBe(401);
    }
  });

  test('3.5.1 (CSRF), 3.5.3: with a cookie only our own pages may act', async () => {
    const cookie = await signIn('keeper');
    const act = (headers: Record<string, string>) => call('POST', '/rehearsals/south-quay/clock', { step: -1 }, { cookie, ...headers });
    for (const headers of [
      { origin: 'https://evil.example' },
      { origin: 'null' },
      { 'sec-fetch-site': 'cross-site' },
      { 'sec-fetch-site': 'same-site', origin: 'http://127.0.0.1:1' },
      {},
      { 'content-type': 'text/plain' }
    ] as Record<string, string>[])
      expect((await act(headers)).body.type, JSON.stringify(headers)).toBe('urn:root-barn:problem:foreign-origin');
    expect((await act({ origin: server.base })).status).toBe(200);
    expect((await act({ 'sec-fetch-site': 'same-origin' })).status).toBe(200);
    // A program shows its token, which no browser sends by itself.
    expect((await call('POST', '/rehearsals/south-quay/clock', { step: -1 }, bearer('keeper'))).status).toBe(200);
  });
});

describe('passwords', () => {
  test('6.3.1: guesses are slowed by account and by address, and forgotten after an hour', () => {
    let now = 0;
    const attempts = new Attempts(() => now);
    for (let i = 0; i < 5; i += 1) {
      expect(attempts.waitMs('anna', `10.0.0.${i}`)).toBe(0);
      attempts.begun('anna', `10.0.0.${i}`);
    }
    expect(attempts.waitMs('Anna', '10.9.9.9')).toBe(2_000);
    now += 2_000;
    attempts.begun('anna', '10.0.0.9');
    expect(attempts.waitMs('anna', '10.9.9.9')).toBe(4_000);
    for (let i = 0; i < 40; i += 1) attempts.begun(`someone-${i}`, '10.1.1.1');
    expect(attempts.waitMs('nobody-yet', '10.1.1.1')).toBe(15 * 60_000);
    now += 61 * 60_000;
    expect(attempts.waitMs('anna', '10.1.1.1')).toBe(0);
    attempts.begun('anna', '10.2.2.2');
    attempts.succeeded('anna', '10.2.2.2');
    expect(attempts.waitMs('anna', '10.2.2.2')).toBe(0);
  });

  test('6.3.1: many at once are slowed like one after the other', async () => {
    const tried = await Promise.all(
      Array.from({ length: 16 }, (_, i) => call('POST', '/session', { name: 'nobody', password: `guess number ${i}` }))
    );
    expect(tried.filter((one) => one.status === 401)).toHaveLength(5);
    expect(tried.filter((one) => one.status === 429)).toHaveLength(11);
  });

  test('6.3.1 on the server: the sixth wrong one is told to wait, the right one too', async () => {
    for (let i = 0; i < 5; i += 1)
      expect((await call('POST', '/session', { name: 'reader', password: `wrong number ${i}` })).status).toBe(401);
    expect(await call('POST', '/session', { name: 'reader', password: words.reader })).toMatchObject({
      status: 429,
      body: { type: 'urn:root-barn:problem:too-many-attempts' }
    });
  });

  test('6.2.1, 6.2.5 to 6.2.9, 11.4.2: long enough, no rules of composition, any characters; kept by scrypt with a salt', async () => {
    expect(passwordFault('short', 'a')).toMatch(/fewer than 12/);
    for (const bad of ['aaaaaaaaaaaaaaaa', 'abcdefghijklmnop', 'anna.berg and more', 'my root barn is open', 'x'.repeat(300)])
      expect(passwordFault(bad, 'anna.berg'), bad).toBeDefined();
    for (const good of ['three wet dogs', 'Wörter mit Ümlaut', '🦆🦢🐟🦀🐚⚓🌊🚢🧭🪢🪝🛟', 'p'.repeat(1) + 'qxwvzkjh gmfy'])
      expect(passwordFault(good, 'anna'), good).toBeUndefined();
    const kept = await hashPassword('three wet dogs');
    expect(kept).toMatch(/^scrypt\$17\$8\$1\$[\w-]{22}\$[\w-]{43}$/);
    expect(await hashPassword('three wet dogs')).not.toBe(kept);
    expect([
      await passwordHolds('three wet dogs', kept),
      await passwordHolds('three wet dogs ', kept),
      await passwordHolds('x', undefined)
    ]).toEqual([true, false, false]);
  });

  test('3.7.2 (open redirects): after sign-in only our own pages are gone to', () => {
    for (const [asked, goes] of [
      ['/r/a/members?x=1', '/r/a/members?x=1'],
      ['//evil.example', '/'],
      ['https://evil.example', '/'],
      ['/\\evil.example', '/'],
      ['/sign-in', '/'],
      [null, '/']
    ] as const)
      expect(returnTo(asked), String(asked)).toBe(goes);
  });

  test('16.3.1, 16.2.5: signing in and failing to is written down; passwords and tokens stand nowhere', async () => {
    const deeds = (await call('GET', '/deeds?limit=1000', undefined, bearer('keeper'))).body.items as {
      what: string;
      who: string;
      detail: string;
    }[];
    expect(deeds.some((one) => one.what === 'signed in' && one.who === 'engineer')).toBe(true);
    expect(deeds.some((one) => one.what === 'failed to sign in' && one.detail.startsWith('as reader from'))).toBe(true);
    const all = JSON.stringify(deeds) + server.errors() + server.said();
    for (const secret of [...Object.values(words), ...tokens.values()]) expect(all).not.toContain(secret);
  });
});

test('10: sign-in through an OpenID Connect provider, and what is turned away', async () => {
  const { privateKey, publicKey } = await generateKeyPair('RS256');
  let claims: Record<string, unknown> = {};
  let nonce = '';
  let issuer = '';
  const seconds = () => Math.floor(Date.now() / 1_000);
  const provider = createServer((request, response) => {
    const url = new URL(request.url!, issuer);
    const json = (value: object) => response.setHeader('content-type', 'application/json').end(JSON.stringify(value));
    if (url.pathname === '/.well-known/openid-configuration')
      json({
        issuer,
        authorization_endpoint: `${issuer}/authorize`,
        token_endpoint: `${issuer}/token`,
        jwks_uri: `${issuer}/keys`,
        response_types_supported: ['code'],
        subject_types_supported: ['public'],
        id_token_signing_alg_values_supported: ['RS256']
      });
    else if (url.pathname === '/keys') void exportJWK(publicKey).then((key) => json({ keys: [{ ...key, alg: 'RS256', use: 'sig' }] }));
    else
      void new SignJWT({ nonce, iss: issuer, aud: 'barn', iat: seconds(), exp: seconds() + 300, ...claims })
        .setProtectedHeader({ alg: 'RS256' })
        .sign(privateKey)
        .then((id_token) => json({ access_token: 'a', token_type: 'Bearer', id_token }));
  });
  await new Promise<void>((done) => provider.listen(0, '127.0.0.1', done));
  issuer = `http://127.0.0.1:${(provider.address() as { port: number }).port}`;
  const own = await ownServer({ quiet: true, flags: ['--sign-in', '--oidc-issuer', issuer, '--oidc-client', 'barn'] });
  servers.push(own);
  const way = async (mend: (back: URL) => void = () => {}) => {
    const begun = await fetch(`${own.base}/sign-in/provider?to=/r/south-quay/members`, { redirect: 'manual' });
    const asked = new URL(begun.headers.get('location')!);
    expect(asked.searchParams.get('code_challenge_method')).toBe('S256');
    nonce = asked.searchParams.get('nonce')!;
    const back = new URL(asked.searchParams.get('redirect_uri')!);
    back.searchParams.set('code', 'c');
    back.searchParams.set('state', asked.searchParams.get('state')!);
    mend(back);
    return fetch(back, { redirect: 'manual', headers: { cookie: begun.headers.get('set-cookie')!.split(';')[0]! } });
  };
  claims = { sub: 'u-1', email: 'anna@barn.example', email_verified: true };
  const back = await way();
  expect([back.status, back.headers.get('location')]).toEqual([303, '/r/south-quay/members']);
  const cookie = /root-barn=[\w-]{43}/.exec(back.headers.get('set-cookie')!)![0];
  expect((await call('GET', '/session', undefined, { cookie }, own.base)).body).toMatchObject({
    name: 'anna@barn.example',
    role: 'reader'
  });
  for (const [mend, next] of [
    [(url: URL) => url.searchParams.set('state', 'another'), {}],
    [() => (nonce = 'another'), {}],
    [() => undefined, { aud: 'somebody-else' }],
    [() => undefined, { exp: 1 }],
    [() => undefined, { iss: 'http://elsewhere.example' }]
  ] as const) {
    claims = { sub: 'u-2', ...next };
    const refused = await way(mend as never);
    expect([refused.status, refused.headers.get('location')]).toEqual([303, '/sign-in?failed']);
  }
  // An address that isn't verified is no name.
  claims = { sub: 'u-3', email: 'keeper', email_verified: false };
  const third = await way();
  const other = /root-barn=[\w-]{43}/.exec(third.headers.get('set-cookie')!)![0];
  expect((await call('GET', '/session', undefined, { cookie: other }, own.base)).body).toMatchObject({ name: 'u-3' });
  // Nor is a name that somebody here has a password for, whatever the provider calls its people.
  const code = /with the code (\S+) /.exec(own.said())![1]!;
  expect((await call('POST', '/first-keeper', { code, name: 'keeper', password: words.keeper }, {}, own.base)).status).toBe(200);
  claims = { sub: 'keeper' };
  expect((await way()).headers.get('location')).toBe('/sign-in?failed');
  // Without the way's own cookie nothing is believed.
  expect((await fetch(`${own.base}/sign-in/back?code=c&state=x`, { redirect: 'manual' })).headers.get('location')).toBe('/sign-in?failed');
  provider.close();
});
