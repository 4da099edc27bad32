#!/usr/bin/env bash
# npm run soak -- [--kills 1000] [--minutes 20] [--requests 10000]
. "$(dirname "$0")/lib.sh"
need_build
need_native
ENTRY=scripts/soak.ts OUT=build/soak npx --no-install vite build --config vite.worker.config.ts --logLevel error
exec node build/soak/soak.js "$@"
