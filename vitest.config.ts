import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const at = (path: string) => fileURLToPath(new URL(path, import.meta.url));

export default defineConfig({
  resolve: { alias: { $core: at('src/lib/core'), $server: at('src/lib/server'), $ui: at('src/lib/ui') } },
  test: { include: ['tests/{core,server,outside,ui}/**/*.test.ts'], testTimeout: 30_000, maxWorkers: 2, setupFiles: ['tests/native.ts'] }
});
