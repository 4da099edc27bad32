#!/usr/bin/env bash
# npm test: lint, types, layer rules, unit, outside and browser tests. Installs what is missing first.
. "$(dirname "$0")/lib.sh"
need_packages
need_browser
npx --no-install svelte-kit sync
say() { printf '\n== %s\n' "$1"; }

# Two cores: two rows of steps beside each other. What the second one prints is shown when both are through.
row() (
  say "build"
  need_build
  say "answers are as the description says"
  node scripts/schemas.mjs --check
)
beside=$(mktemp)
row > "$beside" 2>&1 & second=$!
say "lint and format"
npx --no-install oxlint
npx --no-install oxfmt --check .
npx --no-install eslint .
node scripts/licences.mjs --check
say "types"
npx --no-install svelte-check --tsgo --tsconfig ./tsconfig.json --output machine-verbose --threshold warning
node node_modules/@typescript/native/bin/tsc -p tsconfig.core.json
wait "$second" || { cat "$beside"; exit 1; }
cat "$beside"
rm "$beside"
need_native
say "unit, server, outside and structure tests (layer rules among these)"
npx --no-install vitest run
say "browser tests"
npx --no-install playwright test
