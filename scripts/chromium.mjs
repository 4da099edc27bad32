import { existsSync } from 'node:fs';

/** Debian's Chromium without its window, which is quicker; with it where only that is there. */
const bare = '/usr/bin/chromium-headless-shell';

// How Debian's Chromium is started by the browser tests and for the pictures: without the parts that look for a network.
export const chromiumOptions = {
  executablePath: existsSync(bare) ? bare : '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--no-first-run'
  ]
};
