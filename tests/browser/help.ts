import { expect, test as plain, type Page } from '@playwright/test';
import { ownServer } from '../../scripts/own-server.mjs';

export { expect };

/** Two files run side by side; each worker has a built server of its own with the demo's data, so that nobody meets another's forks. */
export const test = plain.extend<{ dataFolder: string }, { server: { base: string; data: string } }>({
  server: [
    async ({ browserName: _browser }, use) => {
      const own = await ownServer();
      await use(own);
      own.end();
    },
    { scope: 'worker' }
  ],
  baseURL: async ({ server }, use) => use(server.base),
  dataFolder: async ({ server }, use) => use(server.data)
});

/** Opens a page and waits until it answers to keys. */
export async function open(page: Page, path: string): Promise<void> {
  await page.goto(path);
  await page.locator('html[data-ready]').waitFor();
}

/** Each test works on a fork of its own, so that the trunk stays as the demo leaves it. */
export async function forkOf(page: Page, cluster: string, name: string, atMs?: number): Promise<string> {
  const made = await page.request.post(`/api/v1/rehearsals/${cluster}/forks`, { data: { name, ...(atMs === undefined ? {} : { atMs }) } });
  expect(made.status()).toBe(201);
  return `/r/${cluster}~${name}`;
}

/** Sends the draft that is open, once its change sheet is there. */
export async function sendDraft(page: Page, cluster: string): Promise<void> {
  await page.getByRole('heading', { name: 'Change sheet' }).waitFor();
  await page.getByRole('button', { name: new RegExp(`^Send to ${cluster}`) }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Sent to' })).toBeVisible();
}

/** The link of one level in the stack. */
export const level = (page: Page, name: string) =>
  page.getByRole('navigation', { name: 'The stack' }).getByRole('link', { name: new RegExp(name) });

/** Whether anything of a sheet lies beyond its right edge. */
export const overflows = (page: Page): Promise<boolean> =>
  page.evaluate(() =>
    [document.documentElement, document.querySelector('#sheet')].some((one) => one !== null && one.scrollWidth > one.clientWidth)
  );
