#!/usr/bin/env bash
# npm run report -- --cluster NAME --out FILE [--data DIR] [--workload NAMESPACE/NAME] [--namespace NAME]
. "$(dirname "$0")/lib.sh"
need_build
need_native
exec node build/worker/report.js "$@"
