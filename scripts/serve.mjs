// Starts the built server: address and data folder from the command line, then build/handler.js.
// Usage: node scripts/serve.mjs [--port 4178] [--data DIR] [--fresh] [--empty]
import { createServer } from 'node:http';
import { existsSync, rmSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';

const root = fileURLToPath(new URL('..', import.meta.url));
const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4178' },
    data: { type: 'string', default: join(root, 'data') },
    fresh: { type: 'boolean', default: false },
    empty: { type: 'boolean', default: false }
  }
});
const port = Number(values.port);
if (!Number.isInteger(port) || port < 0 || port > 65535) {
  console.error(`--port ${values.port}: a port is a whole number from 0 to 65535.`);
  process.exit(2);
}
if (!existsSync(join(root, 'build/handler.js'))) {
  console.error('The application is not built yet: npm run demo builds and starts it.');
  process.exit(2);
}
const data = resolve(values.data);
if (values.fresh) for (const end of ['', '-wal', '-shm']) rmSync(join(data, `root-barn.sqlite${end}`), { force: true });

process.env.ROOT_BARN_DATA = data;
if (values.empty) process.env.ROOT_BARN_EMPTY = 'yes';
process.env.ROOT_BARN_WORKER ??= join(root, 'build/worker/rehearsal-worker.js');
process.env.ROOT_BARN_READER ??= join(root, 'build/worker/dump-worker.js');
process.env.PROTOCOL_HEADER ??= 'x-forwarded-proto';
process.env.BODY_SIZE_LIMIT ??= 'Infinity'; // the application looks at sizes itself and answers with problem details

const { handler } = await import('../build/handler.js');
const server = createServer((request, response) => {
  request.headers['x-forwarded-proto'] ??= 'http';
  // A body without a type would be passed over; what it is, is found out by looking at it.
  if (request.headers['content-length'] || request.headers['transfer-encoding'])
    request.headers['content-type'] ??= 'application/octet-stream';
  handler(request, response);
});
server.on('error', (error) => {
  console.error(error.code === 'EADDRINUSE' ? `Port ${port} is taken; choose another with --port.` : String(error));
  process.exit(1);
});
server.listen(port, '127.0.0.1', () => {
  console.log(`Root Barn stands at http://127.0.0.1:${server.address().port}/  (data in ${data})`);
});
for (const signal of ['SIGTERM', 'SIGINT']) {
  process.on(signal, () => {
    server.close(() => process.exit(0));
    setTimeout(() => process.exit(0), 1_000).unref();
  });
}
