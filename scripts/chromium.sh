#!/usr/bin/env bash
# Chromium's headless shell from Debian's packages, with fonts to draw with; nothing is done where it is there.
# It draws and runs pages as Chromium does, without a browser's windows around them, for far less of the processor.
set -euo pipefail

if command -v chromium-headless-shell >/dev/null; then exit 0; fi
"$(dirname "$0")/apt.sh" chromium-headless-shell fonts-dejavu-core
