#!/usr/bin/env bash
# Chromium from Debian's packages, with fonts to draw with; nothing is done where it is there.
set -euo pipefail

if command -v chromium >/dev/null; then exit 0; fi
"$(dirname "$0")/apt.sh" chromium fonts-dejavu-core
