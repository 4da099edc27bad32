#!/usr/bin/env bash
# npm run screenshots: one PNG of each main view, from the demo's data, into docs/screenshots.
. "$(dirname "$0")/lib.sh"
need_build
need_native
need_browser
node scripts/screenshots.mjs
