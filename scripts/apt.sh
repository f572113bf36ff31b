#!/usr/bin/env bash
# Installs Debian packages, as root or through sudo.
set -euo pipefail

run() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }
export DEBIAN_FRONTEND=noninteractive
run apt-get update -qq
run apt-get install -y -qq --no-install-recommends "$@" >/dev/null
