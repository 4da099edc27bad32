# Shared by the scripts: installs what is missing, and nothing that is there.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

need_packages() {
  if [ ! -d node_modules ] || [ ! -f node_modules/.package-lock.json ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
    echo "Installing packages (about 3 minutes the first time: one of them is compiled) …"
    npm ci --no-audit --no-fund --loglevel=error
    touch node_modules/.package-lock.json
  fi
}

need_build() {
  need_packages
  if [ ! -f build/worker/rehearsal-worker.js ] || [ -n "$(find src static package.json svelte.config.js vite.config.ts vite.worker.config.ts -newer build/worker/rehearsal-worker.js -type f -print -quit)" ]; then
    echo "Building …"
    npm run build --silent > build.log 2>&1 || { tail -n 40 build.log; exit 1; }
  fi
}

need_browser() {
  if [ ! -x /usr/bin/chromium ]; then
    echo "Installing Chromium …"
    local as=""
    [ "$(id -u)" = 0 ] || as="sudo"
    $as apt-get update -qq
    DEBIAN_FRONTEND=noninteractive $as apt-get install -y -qq --no-install-recommends chromium > /dev/null
  fi
}

node_major=$(node -p 'process.versions.node.split(".")[0]' 2>/dev/null || echo 0)
if [ "$node_major" -lt 20 ]; then
  echo "Root Barn needs Node.js 20.19 or newer; this is $(node -v 2>/dev/null || echo none)." >&2
  exit 2
fi
