// Starts the built server. Flags: docs/operating.md, or --help.
import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const main = new URL('../build/worker/server.js', import.meta.url);
if (!existsSync(main)) {
  console.error('The application is not built yet: npm run demo builds and starts it.');
  process.exit(2);
}
process.env.ROOT_BARN_ROOT = fileURLToPath(new URL('..', import.meta.url));
await import(main.href);
