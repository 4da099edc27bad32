import { afterAll } from 'vitest';

// Modules stay loaded from file to file; the application doesn't: each file has one of its own, with data of its own.
afterAll(async () => {
  const { endApp } = await import('$server/services');
  await endApp();
});
