#!/usr/bin/env bash
# npm run backup -- FILE [--data DIR], npm run restore -- FILE [--data DIR] [--over]
. "$(dirname "$0")/lib.sh"
need_build
need_native
exec node build/worker/backup.js "$@"
