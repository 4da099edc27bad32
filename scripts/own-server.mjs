import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/**
 * Starts a server of its own with fresh demo data, or with data and at a port that it is given; gives its address and what ends it.
 * `flags` are added to the command line; `user` runs it as another user (where this process may).
 */
export async function ownServer({
  port = 0,
  data = mkdtempSync(join(tmpdir(), 'root-barn-own-')),
  empty = false,
  flags = [],
  user,
  quiet = false
} = {}) {
  const server = spawn('node', ['scripts/serve.mjs', '--port', String(port), '--data', data, ...(empty ? ['--empty'] : []), ...flags], {
    stdio: ['ignore', 'pipe', 'pipe'],
    ...(user === undefined ? {} : { uid: user })
  });
  let said = '';
  let errors = '';
  server.stderr.on('data', (chunk) => {
    errors += String(chunk);
    if (!quiet) process.stderr.write(chunk);
  });
  const ended = new Promise((resolve) => server.on('exit', resolve));
  const base = await new Promise((resolve, reject) => {
    server.stdout.on('data', (chunk) => {
      said += String(chunk);
      const found = /https?:\/\/[\w.-]+(?::\d+)?(?=\/ )/.exec(said);
      if (found) resolve(found[0]);
    });
    server.on('exit', () => reject(new Error(`the server did not start: ${errors}`)));
  });
  return {
    base,
    data,
    /** Ends it at once, and leaves its data. */
    kill() {
      server.kill('SIGKILL');
    },
    pid: server.pid,
    /** What it has written so far. */
    said: () => said,
    errors: () => errors,
    /** Given when it has ended. */
    ended,
    /** Ends it as an operator would, and leaves its data. */
    async stop() {
      server.kill('SIGTERM');
      await ended;
    },
    end() {
      server.kill('SIGTERM');
      rmSync(data, { recursive: true, force: true });
    }
  };
}
