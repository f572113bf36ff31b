#!/usr/bin/env bash
# PostgreSQL from Debian's packages, for the tests of the second engine; nothing is done where it is there.
set -euo pipefail

if compgen -G "/usr/lib/postgresql/*/bin/initdb" >/dev/null; then exit 0; fi
"$(dirname "$0")/apt.sh" postgresql
