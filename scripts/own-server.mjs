import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Starts a server of its own with fresh demo data, or with data and at a port that it is given; gives its address and what ends it. */
export async function ownServer({ port = 0, data = mkdtempSync(join(tmpdir(), 'root-barn-own-')), empty = false } = {}) {
  const server = spawn('node', ['scripts/serve.mjs', '--port', String(port), '--data', data, ...(empty ? ['--empty'] : [])], {
    stdio: ['ignore', 'pipe', 'inherit']
  });
  const base = await new Promise((resolve, reject) => {
    server.stdout.on('data', (chunk) => {
      const found = /http:\/\/[\d.]+:\d+/.exec(String(chunk));
      if (found) resolve(found[0]);
    });
    server.on('exit', () => reject(new Error('the server did not start')));
  });
  return {
    base,
    data,
    /** Ends it at once, and leaves its data. */
    kill() {
      server.kill('SIGKILL');
    },
    pid: server.pid,
    end() {
      server.kill('SIGTERM');
      rmSync(data, { recursive: true, force: true });
    }
  };
}
