#!/usr/bin/env bash
# Writes the lock files from pyproject.toml: exact versions, and nothing about where they come from.
set -euo pipefail
cd "$(dirname "$0")/.."
compile() {
  .venv/bin/pip-compile --quiet --strip-extras --no-header --no-annotate --allow-unsafe \
    --no-emit-index-url --no-emit-find-links --no-emit-trusted-host --resolver=backtracking "$@"
}
compile --extra build --output-file requirements.lock pyproject.toml
compile --extra build --extra dev --output-file requirements-dev.lock pyproject.toml
# The generator of clients that the tests try wants versions of its own.
compile --output-file requirements-codegen.lock - <<< openapi-python-client
