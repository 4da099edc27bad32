import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const at = (path: string) => fileURLToPath(new URL(path, import.meta.url));

// For `npm run mutate`: all tests that run the core from its sources, and end soon.
export default defineConfig({
  resolve: { alias: { $core: at('src/lib/core'), $server: at('src/lib/server'), $ui: at('src/lib/ui') } },
  test: {
    testTimeout: 120_000,
    include: [
      'tests/core/**/*.test.ts',
      'tests/outside/**/*.test.ts',
      'tests/server/{api,drafts,dumps,examples,exports,storage,views,workloads}.test.ts'
    ],
    setupFiles: ['tests/native.ts', 'tests/played-setup.ts', 'tests/server/each.ts'],
    // Each planted fault has a thread of its own, in which the core's modules are loaded once for all files.
    isolate: false
  }
});
