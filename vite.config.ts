import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [tailwindcss(), sveltekit()],
  build: {
    assetsInlineLimit: 0,
    // The core is pure: what a page doesn't use of it, it needn't load.
    rolldownOptions: { treeshake: { moduleSideEffects: [{ test: /\/src\/lib\/core\//, sideEffects: false }] } }
  },
  worker: { format: 'es' },
  server: { host: '127.0.0.1' }
});
