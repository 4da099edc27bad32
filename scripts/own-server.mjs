import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Starts a server of its own on a free port with fresh demo data; gives its address and what ends it. */
export async function ownServer() {
  const data = mkdtempSync(join(tmpdir(), 'root-barn-own-'));
  const server = spawn('node', ['scripts/serve.mjs', '--port', '0', '--data', data], { stdio: ['ignore', 'pipe', 'inherit'] });
  const base = await new Promise((resolve, reject) => {
    server.stdout.on('data', (chunk) => {
      const found = /http:\/\/[\d.]+:\d+/.exec(String(chunk));
      if (found) resolve(found[0]);
    });
    server.on('exit', () => reject(new Error('the server did not start')));
  });
  return {
    base,
    pid: server.pid,
    end() {
      server.kill('SIGTERM');
      rmSync(data, { recursive: true, force: true });
    }
  };
}
