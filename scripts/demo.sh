#!/usr/bin/env bash
# npm run demo -- [--port 4178] [--data DIR] [--fresh]
. "$(dirname "$0")/lib.sh"
need_build
need_native
exec node scripts/serve.mjs --demo-drills "$@"
