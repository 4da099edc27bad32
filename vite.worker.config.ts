import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

// The rehearsals run in a worker thread of the server; it is bundled beside the built server.
export default defineConfig({
  resolve: { alias: { $core: fileURLToPath(new URL('src/lib/core', import.meta.url)) } },
  publicDir: false,
  ssr: { noExternal: true },
  build: {
    ssr: 'src/lib/server/rehearsals/worker.ts',
    outDir: 'build/worker',
    emptyOutDir: true,
    target: 'node20',
    rollupOptions: { output: { entryFileNames: 'rehearsal-worker.js' } }
  }
});
