import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

const entry = process.env.ENTRY;

// The rehearsals run in a worker thread of the server, and dumps are read in another; both are bundled beside the built server.
export default defineConfig({
  resolve: { alias: { $core: fileURLToPath(new URL('src/lib/core', import.meta.url)) } },
  publicDir: false,
  ssr: { noExternal: true },
  build: {
    ssr: true,
    outDir: process.env.OUT ?? 'build/worker',
    emptyOutDir: true,
    target: 'node20',
    rollupOptions: {
      input: entry ?? { 'rehearsal-worker': 'src/lib/server/rehearsals/worker.ts', 'dump-worker': 'src/lib/server/dumps/worker.ts' },
      output: { entryFileNames: '[name].js' }
    }
  }
});
