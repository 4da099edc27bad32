#!/usr/bin/env bash
# npm test: lint, types, layer rules, unit, outside and browser tests. Installs what is missing first.
. "$(dirname "$0")/lib.sh"
need_packages
need_browser
npx --no-install svelte-kit sync
say() { printf '\n== %s\n' "$1"; }

# Two cores: the build for the browser tests runs beside lint and types.
say "build (beside the next steps)"
(need_build) & built=$!
say "lint and format"
npx --no-install eslint .
npx --no-install prettier --check --log-level warn .
node scripts/licences.mjs --check
say "layers"
npx --no-install depcruise --config .dependency-cruiser.cjs --output-type err src
say "types"
npx --no-install tsc -p tsconfig.core.json
npx --no-install svelte-check --tsconfig ./tsconfig.json --output machine-verbose --threshold warning
node scripts/schemas.mjs --check
wait "$built"
need_native
say "unit, server and outside tests"
npx --no-install vitest run
say "browser tests"
npx --no-install playwright test
