import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

const entry = process.env.ENTRY;

// The rehearsals run in a worker thread of the server, and dumps are read in another; both are bundled beside the built server.
export default defineConfig({
  resolve: { alias: { $core: fileURLToPath(new URL('src/lib/core', import.meta.url)) } },
  publicDir: false,
  // What is compiled for the machine, and what finds files of its own, stays outside.
  ssr: { noExternal: true, external: ['better-sqlite3', 'highs', 'kysely', 'pino', 'prom-client'] },
  build: {
    ssr: true,
    outDir: process.env.OUT ?? 'build/worker',
    emptyOutDir: true,
    target: 'node20',
    rollupOptions: {
      input: entry ?? {
        'rehearsal-worker': 'src/lib/server/rehearsals/worker.ts',
        'dump-worker': 'src/lib/server/dumps/worker.ts',
        server: 'src/lib/server/http/main.ts',
        backup: 'src/lib/server/backup/main.ts',
        report: 'src/lib/server/handover/main.ts'
      },
      output: { entryFileNames: '[name].js' }
    }
  }
});
