#!/usr/bin/env bash
# npm run check -- FILES: what the checker says of manifests, without a server; see scripts/check-files.ts.
export CALLED_FROM="${INIT_CWD:-$PWD}"
. "$(dirname "$0")/lib.sh" 1>&2
need_packages 1>&2
out=build/check/check-files.js
if [ ! -f "$out" ] || [ -n "$(find src/lib/core scripts/check-files.ts -newer "$out" -type f -print -quit)" ]; then
  ENTRY=scripts/check-files.ts OUT=build/check npx --no-install vite build --config vite.worker.config.ts --logLevel error 1>&2
fi
exec node "$out" "$@"
