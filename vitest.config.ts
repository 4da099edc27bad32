import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const at = (path: string) => fileURLToPath(new URL(path, import.meta.url));

export default defineConfig({
  resolve: { alias: { $core: at('src/lib/core'), $server: at('src/lib/server'), $ui: at('src/lib/ui') } },
  test: {
    testTimeout: 120_000,
    maxWorkers: 2,
    // What a rehearsal makes is mostly let go at once.
    execArgv: ['--max-semi-space-size=64'],
    projects: [
      // The core is pure: its modules may be loaded once for all files of a worker.
      {
        extends: true,
        test: {
          name: 'core',
          include: ['tests/{core,outside,ui}/**/*.test.ts'],
          setupFiles: ['tests/native.ts', 'tests/played-setup.ts'],
          isolate: false
        }
      },
      // The source tree itself: its layers, and that docs/adding.md can be followed. They run compilers on copies of it.
      { extends: true, test: { name: 'structure', include: ['tests/structure/**/*.test.ts'] } },
      // Loading a server's modules takes longer than making one: they are loaded once, and each file has a server of its own.
      {
        extends: true,
        test: {
          name: 'server',
          include: ['tests/server/**/*.test.ts'],
          setupFiles: ['tests/native.ts', 'tests/server/each.ts'],
          isolate: false
        }
      }
    ]
  }
});
