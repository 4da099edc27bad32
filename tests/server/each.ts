import { afterAll, expect } from 'vitest';

// Modules stay loaded from file to file; the application doesn't: each file has one of its own, with data of its own.
// (Where the core's tests run beside in the same worker they have none.)
afterAll(async () => {
  if (!expect.getState().testPath?.includes('/tests/server/')) return;
  const { endApp } = await import('$server/services');
  await endApp();
});
