import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const at = (path: string) => fileURLToPath(new URL(path, import.meta.url));

// For `npm run mutate`: the tests of the core alone, without those that look at files of the project rather than at what the core does.
export default defineConfig({
  resolve: { alias: { $core: at('src/lib/core'), $server: at('src/lib/server'), $ui: at('src/lib/ui') } },
  test: {
    testTimeout: 120_000,
    include: ['tests/core/**/*.test.ts', 'tests/outside/**/*.test.ts'],
    exclude: ['tests/core/golden.test.ts'],
    setupFiles: ['tests/native.ts']
  }
});
