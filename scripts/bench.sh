#!/usr/bin/env bash
# npm run bench: one table of speed and size.
. "$(dirname "$0")/lib.sh"
need_build
need_native
need_browser
ENTRY=scripts/bench.ts OUT=build/bench npx --no-install vite build --config vite.worker.config.ts --logLevel error
node --expose-gc --max-semi-space-size=64 --max-old-space-size=1536 build/bench/bench.js
ENTRY=scripts/bench-engines.ts OUT=build/bench-engines npx --no-install vite build --config vite.worker.config.ts --logLevel error
node build/bench-engines/bench-engines.js
node scripts/bench-browser.mjs
ENTRY=scripts/bench-alone.ts OUT=build/bench npx --no-install vite build --config vite.worker.config.ts --logLevel error
node scripts/bench-dumps.mjs
ENTRY=scripts/bench-long.ts OUT=build/bench-long npx --no-install vite build --config vite.worker.config.ts --logLevel error
node build/bench-long/bench-long.js
ENTRY=scripts/bench-estate.ts OUT=build/bench-estate npx --no-install vite build --config vite.worker.config.ts --logLevel error
node --expose-gc build/bench-estate/bench-estate.js
node scripts/bench-estate-sheet.mjs
