#!/usr/bin/env bash
# All checks, the quick ones first. Each must pass; the first that does not ends the run.
set -euo pipefail
cd "$(dirname "$0")/.."
bin=.venv/bin

step() { printf '\n== %s\n' "$1"; }

# Beside the others, which take about as long on a processor of their own; told in its turn.
console=$(mktemp)
(cd console && npm run --silent check) >"$console" 2>&1 &
checking=$!
trap 'kill $checking 2>/dev/null || true; rm -f "$console"' EXIT

step "Style"
"$bin/ruff" format --check
"$bin/ruff" check
step "Types"
"$bin/mypy"
step "Rooms: imports run downwards"
"$bin/lint-imports" --no-cache
step "Console: the types of the service are those of its document"
"$bin/python" scripts/console_types.py --check
step "Client: the blocking one is what the asyncio one makes"
"$bin/python" scripts/blocking_client.py --check
# Collected once, so that what asserts become is kept, and the workers need not work it out each for itself.
step "Tests are found"
unset PYTHONDONTWRITEBYTECODE
"$bin/python" -m pytest --collect-only -qq | tail -n 5
step "Console: types, style, unit tests"
wait "$checking" || { cat "$console"; exit 1; }
tail -n 5 "$console"
# Where memory has room the tests keep their databases there, so that no slow disk is waited for.
free=$(df --output=avail -k /dev/shm 2>/dev/null | tail -1 || echo 0)
if [ -w /dev/shm ] && [ "$free" -gt 4000000 ]; then
  TMPDIR=$(mktemp -d /dev/shm/fenland-tests.XXXXXX)
  # PostgreSQL, which runs as somebody else, has its folder in there.
  chmod 711 "$TMPDIR"
  export TMPDIR
  trap 'rm -rf "$TMPDIR" "$console"' EXIT
fi
step "Tests"
"$bin/python" -m pytest -n 4 --dist loadfile --no-loadscope-reorder --durations 30 --durations-min 5 "$@"
