# Shared by the scripts: installs what is missing, and nothing that is there.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

native=node_modules/better-sqlite3/build/Release/better_sqlite3.node
compiling=""

# Packages; the one that has to be compiled is compiled beside whatever comes next. need_native waits for it.
need_packages() {
  if [ ! -f node_modules/.package-lock.json ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
    echo "Installing packages (under a minute) …"
    npm ci --ignore-scripts --no-audit --no-fund --loglevel=error
    touch node_modules/.package-lock.json
  fi
  if [ ! -f "$native" ] && [ -z "$compiling" ]; then
    echo "Compiling one of them beside the next steps (about a minute) …"
    # Compiled in little more than half the time; what it does then takes as long as before, within what this machine can tell.
    (CFLAGS="${CFLAGS:--O1}" CXXFLAGS="${CXXFLAGS:--O1}" npm rebuild --loglevel=error better-sqlite3 > compile.log 2>&1) & compiling=$!
  fi
}

need_native() {
  need_packages
  if [ -n "$compiling" ]; then
    wait "$compiling" || { tail -n 40 compile.log; exit 1; }
    compiling=""
  fi
  [ -f "$native" ] || { echo "better-sqlite3 was not compiled; compile.log says why." >&2; exit 1; }
}

need_build() {
  need_packages
  if [ ! -f build/worker/rehearsal-worker.js ] || [ -n "$(find src static package.json svelte.config.js vite.config.ts vite.worker.config.ts -newer build/worker/rehearsal-worker.js -type f -print -quit)" ]; then
    echo "Building …"
    npm run build --silent > build.log 2>&1 || { tail -n 40 build.log; exit 1; }
  fi
}

need_browser() {
  if [ ! -x /usr/bin/chromium-headless-shell ]; then
    echo "Installing Chromium …"
    local as=""
    [ "$(id -u)" = 0 ] || as="sudo"
    $as apt-get update -qq
    DEBIAN_FRONTEND=noninteractive $as apt-get install -y -qq --no-install-recommends chromium-headless-shell > /dev/null
  fi
}

node_major=$(node -p 'process.versions.node.split(".")[0]' 2>/dev/null || echo 0)
if [ "$node_major" -lt 20 ]; then
  echo "Root Barn needs Node.js 20.19 or newer; this is $(node -v 2>/dev/null || echo none)." >&2
  exit 2
fi
