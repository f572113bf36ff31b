#!/usr/bin/env bash
# Makes the virtual environment named by the first argument, with Python 3.11 or newer.
set -euo pipefail

python=""
for candidate in python3.11 python3 python3.12 python3.13; do
  if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
    python=$candidate
    break
  fi
done
if [ -z "$python" ]; then
  echo "Python 3.11 or newer is needed. Install it (on Debian 12: apt-get install python3 python3-venv)." >&2
  exit 1
fi
if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
  # Debian ships venv apart from Python.
  "$(dirname "$0")/apt.sh" python3-venv
fi
"$python" -m venv "$1"
# The editable install needs the build backend; both lock files name its version.
