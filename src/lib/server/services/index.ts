import { createApp, type App } from './app';

let app: Promise<App> | undefined;

/** The application of this process; made on first use from ROOT_BARN_DATA and ROOT_BARN_WORKER. */
export function getApp(): Promise<App> {
  app ??= createApp({
    data: process.env.ROOT_BARN_DATA ?? 'data',
    worker: process.env.ROOT_BARN_WORKER,
    reader: process.env.ROOT_BARN_READER,
    empty: process.env.ROOT_BARN_EMPTY === 'yes'
  });
  return app;
}

export { done, notFound, refusalOf, refused, type Answer, type Refusal } from './answer';
export type { App } from './app';
export type { LiveEvent } from './live';
