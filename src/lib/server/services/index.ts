import { log, loggable } from '../log';
import { settingsOf } from '../settings';
import { createApp, type App } from './app';

let app: Promise<App> | undefined;

const tendEveryMs = 30_000;

async function begin(): Promise<App> {
  const settings = settingsOf(process.env);
  const made = await createApp({
    data: process.env.ROOT_BARN_DATA ?? 'data',
    worker: process.env.ROOT_BARN_WORKER,
    reader: process.env.ROOT_BARN_READER,
    empty: settings.empty,
    settings
  });
  const timer = setInterval(() => void made.tend().catch((error: unknown) => log.error(loggable(error), 'tending failed')), tendEveryMs);
  timer.unref();
  return { ...made, close: async () => (clearInterval(timer), made.close()) };
}

/** The application of this process; made on first use from the variables that begin with ROOT_BARN_. */
export function getApp(): Promise<App> {
  if (!app) {
    app = begin();
    // What goes wrong at the first time (a lock, say) may be over at the next.
    app.catch(() => (app = undefined));
  }
  return app;
}

/** Ends the application, if there is one; the next call makes another. For tests that follow each other in one process. */
export async function endApp(): Promise<void> {
  const last = app;
  app = undefined;
  await (await last?.catch(() => undefined))?.close();
}

export { done, notFound, refusalOf, refused, unknownRehearsal, type Answer, type Refusal } from './answer';
export { roleNeeded, signInNeeded } from './access';
export type { App } from './app';
export type { LiveEvent } from './live';
