# Two words do everything: `make demo` runs a filled sample service, `make test` all checks.
# What they need and do not find they set up first; nothing outside this folder is changed, but for
# Chromium and PostgreSQL, which `make test` installs from Debian's packages.

SHELL := /bin/bash
.DELETE_ON_ERROR:
.PHONY: demo test check console wheel lock screenshots bench clean help

VENV := .venv
BIN := $(VENV)/bin
CONSOLE := src/fenland/web/console/index.html
CONSOLE_SOURCES := $(shell find console/src -type f 2>/dev/null) console/index.html console/package-lock.json console/vite.config.ts

help:
	@sed -n 's/^\([a-z]*\):.*## /  make \1\t/p' Makefile

demo: .stamps/python $(CONSOLE) ## set everything up and start the sample service
	$(BIN)/fenland demo .demo

test: .stamps/dev .stamps/codegen .stamps/npm .stamps/chromium .stamps/postgres $(CONSOLE) ## set everything up and run all checks
	scripts/check.sh

console: $(CONSOLE) ## build the web console into the package

wheel: .stamps/dev $(CONSOLE) ## build the wheel, console included, into dist/
	rm -rf dist
	$(BIN)/python -m build --wheel --no-isolation --outdir dist .

lock: .stamps/dev ## bring the lock files up to date with pyproject.toml
	scripts/lock.sh

screenshots: .stamps/dev .stamps/chromium $(CONSOLE) ## take docs/screenshots anew from the sample data
	$(BIN)/python scripts/screenshots.py

bench: .stamps/dev ## compare Fenland with the hand-written peer, in ratios
	$(BIN)/python bench/compare.py

clean: ## remove everything that was built or installed here
	rm -rf $(VENV) .venv-codegen .stamps .demo dist console/node_modules src/fenland/web/console

$(VENV):
	scripts/venv.sh $(VENV)

.stamps/python: requirements.lock pyproject.toml | $(VENV)
	@mkdir -p .stamps
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
	@touch $@

.stamps/dev: .stamps/python requirements-dev.lock
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-dev.lock
	@touch $@

# A generator of clients, which tests try the OpenAPI document with. It wants other versions than the product.
.stamps/codegen: requirements-codegen.lock | $(VENV)
	$(BIN)/python -m venv .venv-codegen
	.venv-codegen/bin/pip install --quiet --disable-pip-version-check -r requirements-codegen.lock
	@touch $@

.stamps/npm: console/package-lock.json
	@mkdir -p .stamps
	cd console && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

.stamps/chromium: scripts/chromium.sh
	@mkdir -p .stamps
	scripts/chromium.sh
	@touch $@

.stamps/postgres:
	@mkdir -p .stamps
	scripts/postgres.sh
	@touch $@

$(CONSOLE): .stamps/npm $(CONSOLE_SOURCES)
	cd console && npm run --silent build
	@touch $@
