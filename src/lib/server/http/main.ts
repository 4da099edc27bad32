import { randomUUID } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type RequestListener, type ServerResponse } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { parseArgs } from 'node:util';
import { SettingFault, settingsOf, settingTable, variableOf, type Settings } from '../settings';
import { hostAllowed } from './hosts';

/** Calls under way by their mark, so that what is done for one is given up when its caller leaves. */
const calls = ((globalThis as { rootBarnCalls?: Map<string, AbortController> }).rootBarnCalls ??= new Map());

/** Notices when a caller leaves before the answer is whole. The request alone doesn't tell, once its body has arrived. */
function follow(request: IncomingMessage, response: ServerResponse): void {
  const mark = randomUUID();
  const left = new AbortController();
  calls.set(mark, left);
  request.headers['x-root-barn-call'] = mark;
  response.once('close', () => {
    calls.delete(mark);
    if (!response.writableFinished) left.abort();
  });
}

/** Puts flags into the variables that the application reads its settings from. */
function readFlags(): Settings {
  const options = Object.fromEntries(
    Object.entries(settingTable).map(([flag, one]) => [flag, { type: 'bare' in one ? ('boolean' as const) : ('string' as const) }])
  );
  let values: Record<string, string | boolean | undefined>;
  try {
    ({ values } = parseArgs({ options: { ...options, help: { type: 'boolean' } } }) as { values: Record<string, string | boolean> });
  } catch (error) {
    throw new SettingFault(`${(error as Error).message.split('\n')[0]} (--help lists all flags)`);
  }
  if (values.help) {
    for (const [flag, { says }] of Object.entries(settingTable)) console.log(`  --${flag.padEnd(18)} ${says} (${variableOf(flag)})`);
    process.exit(0);
  }
  for (const [flag, value] of Object.entries(values))
    if (value !== undefined) process.env[variableOf(flag)] = value === true ? 'yes' : String(value);
  const settings = settingsOf(process.env);
  process.env.ROOT_BARN_DATA = resolve(settings.data);
  return settings;
}

/** Headers of every answer, of files too; pages set a content policy of their own. Source: OWASP ASVS 5.0, chapter 3.4. */
function secure(response: ServerResponse, tls: boolean): void {
  response.setHeader('x-content-type-options', 'nosniff');
  response.setHeader('referrer-policy', 'same-origin');
  response.setHeader('x-frame-options', 'DENY');
  response.setHeader('cross-origin-opener-policy', 'same-origin');
  response.setHeader('cross-origin-resource-policy', 'same-origin');
  response.setHeader('permissions-policy', 'camera=(), geolocation=(), microphone=(), payment=()');
  response.setHeader(
    'content-security-policy',
    "default-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
  );
  if (tls) response.setHeader('strict-transport-security', 'max-age=31536000');
}

const misdirected = JSON.stringify({
  type: 'urn:root-barn:problem:wrong-host',
  title: 'This is not the address of Root Barn',
  status: 421,
  detail: 'The request names a host under which Root Barn is not known.',
  remedy: 'Open it at the address that it printed at its start, or name yours with --origin.'
});

/** What a proxy in front says of a request, where it is believed; what the connection itself says, else. */
function settle(request: IncomingMessage, settings: Settings): void {
  const { headers, socket } = request;
  const last = (name: string) =>
    String(headers[name] ?? '')
      .split(',')
      .at(-1)!
      .trim();
  const [from, proto, host] = [last('x-forwarded-for'), last('x-forwarded-proto'), last('x-forwarded-host')];
  delete headers['x-forwarded-host'];
  delete headers['x-root-barn-peer'];
  headers['x-forwarded-proto'] = settings['tls-cert'] === undefined ? 'http' : 'https';
  headers['x-root-barn-peer'] = socket.remoteAddress ?? '';
  if (!settings['trust-forwarded']) return;
  if (from) headers['x-root-barn-peer'] = from;
  if (proto === 'http' || proto === 'https') headers['x-forwarded-proto'] = proto;
  if (host) headers.host = host;
}

async function start(root: string): Promise<void> {
  const settings = readFlags();
  const data = process.env.ROOT_BARN_DATA!;
  // Nobody else may read what is written here.
  process.umask(0o077);
  process.env.ROOT_BARN_WORKER ??= join(root, 'build/worker/rehearsal-worker.js');
  process.env.ROOT_BARN_READER ??= join(root, 'build/worker/dump-worker.js');
  process.env.PROTOCOL_HEADER = 'x-forwarded-proto';
  process.env.ADDRESS_HEADER = 'x-root-barn-peer';
  process.env.BODY_SIZE_LIMIT = 'Infinity'; // the application looks at sizes itself and answers with problem details

  const { handler } = (await import(pathToFileURL(join(root, 'build/handler.js')).href)) as { handler: RequestListener };
  const listener: RequestListener = (request, response) => {
    settle(request, settings);
    follow(request, response);
    secure(response, settings.tls);
    const { url = '/', headers } = request;
    const probe = url === '/healthz' || url === '/readyz';
    if (!probe && !hostAllowed(headers.host, settings.origin)) {
      response.writeHead(421, { 'content-type': 'application/problem+json' });
      response.end(misdirected);
      return;
    }
    if (probe) headers.host = 'localhost';
    // A body without a type would be passed over; what it is, is found out by looking at it.
    if (headers['content-length'] || headers['transfer-encoding']) headers['content-type'] ??= 'application/octet-stream';
    handler(request, response);
  };
  const server = settings['tls-cert']
    ? createTlsServer(
        { cert: readFileSync(settings['tls-cert']), key: readFileSync(settings['tls-key']!), minVersion: 'TLSv1.2' },
        listener
      )
    : createServer(listener);
  server.on('error', (error: NodeJS.ErrnoException) => {
    console.error(error.code === 'EADDRINUSE' ? `Port ${settings.port} is taken; choose another with --port.` : String(error));
    void end(1);
  });
  let ending = false;
  async function end(code: number): Promise<void> {
    if (ending) return;
    ending = true;
    setTimeout(() => process.exit(code), 8_000).unref();
    const closed = new Promise((done) => server.close(done));
    process.emit('sveltekit:shutdown' as never);
    server.closeIdleConnections();
    await Promise.race([closed, new Promise((done) => setTimeout(done, 1_500).unref())]);
    server.closeAllConnections();
    const last = (globalThis as { rootBarnEnd?: () => Promise<void> }).rootBarnEnd;
    await last?.().catch((error: unknown) => console.error(error instanceof Error ? error.message : error));
    process.exit(code);
  }
  for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => void end(0));
  server.listen(settings.port, settings.listen, () => {
    const { port } = server.address() as { port: number };
    const at = settings.listen.includes(':') ? `[${settings.listen}]` : settings.listen;
    const [named] = settings.origin;
    const url = named ? named.href : `${settings['tls-cert'] ? 'https' : 'http'}://${at === '0.0.0.0' ? '127.0.0.1' : at}:${port}/`;
    const code = (globalThis as { rootBarnCode?: string }).rootBarnCode;
    const first = code
      ? `\nNobody has an account yet. Make the first keeper at ${url}sign-in with the code ${code} (valid once, until this process ends).`
      : '';
    console.log(`Root Barn stands at ${url}  (data in ${data})${first}`);
  });
}

const root = process.env.ROOT_BARN_ROOT ?? process.cwd();
if (!existsSync(join(root, 'build/handler.js'))) {
  console.error('The application is not built yet: npm run demo builds and starts it.');
  process.exit(2);
}
start(root).catch((error: Error & { remedy?: string }) => {
  if (error instanceof SettingFault) {
    console.error(error.message);
    process.exit(2);
  }
  console.error(error.remedy === undefined ? error : `${error.message} ${error.remedy}`);
  process.exit(1);
});
