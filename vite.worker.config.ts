import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

// The rehearsals run in a worker thread of the server; it is bundled beside the built server.
export default defineConfig({
  resolve: { alias: { $core: fileURLToPath(new URL('src/lib/core', import.meta.url)) } },
  publicDir: false,
  ssr: { noExternal: true },
  build: {
    ssr: process.env.ENTRY ?? 'src/lib/server/rehearsals/worker.ts',
    outDir: process.env.OUT ?? 'build/worker',
    emptyOutDir: true,
    target: 'node20',
    rollupOptions: { output: { entryFileNames: process.env.OUT ? '[name].js' : 'rehearsal-worker.js' } }
  }
});
