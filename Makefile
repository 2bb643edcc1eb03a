# Mnemic: `make demo` runs it, `make test` checks everything. CONTRIBUTING.md says the rest.

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMPS := .stamps
WEB_SOURCES := $(shell find web/src web/public web/index.html web/vite.config.ts -type f 2>/dev/null)

.DEFAULT_GOAL := help
.PHONY: help demo demo-reset setup test lint api lock bench bench-large fuzz audit load screenshots clean

help: ## say what can be made
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:.*## /	/' | expand -t 16

demo: setup ## run Mnemic on a made-up office's mail; the mail is kept between runs
	@$(BIN)/mnemic demo

demo-reset: setup ## the same, starting afresh
	@$(BIN)/mnemic demo --reset

setup: $(STAMPS)/python $(STAMPS)/front-end ## install and build, run nothing

$(STAMPS)/python: requirements/runtime.txt pyproject.toml
	@mkdir -p $(STAMPS)
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check --require-hashes -r requirements/runtime.txt
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

$(STAMPS)/npm: web/package-lock.json web/package.json web/.npmrc
	@mkdir -p $(STAMPS)
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(STAMPS)/front-end: $(STAMPS)/npm $(WEB_SOURCES)
	cd web && npm run --silent build -- --logLevel warn
	@touch $@

$(STAMPS)/dev: $(STAMPS)/python requirements/dev.txt
	$(BIN)/pip install --quiet --disable-pip-version-check --require-hashes -r requirements/dev.txt
	@touch $@

test: setup $(STAMPS)/dev ## install what tests need, and run every check
	@BIN=$(BIN) tools/run-checks

lint: setup $(STAMPS)/dev ## formatting, lint and types alone
	@BIN=$(BIN) tools/run-checks lint

api: $(STAMPS)/python $(STAMPS)/npm ## write anew what is made from the models: JSON Schema, types, catalogue
	$(BIN)/mnemic openapi > $(STAMPS)/openapi.json
	$(BIN)/mnemic schema > schemas/rules-1.schema.json
	cd web && npx openapi-typescript ../$(STAMPS)/openapi.json --output src/api/schema.d.ts
	$(BIN)/python tools/write_catalogue.py web/src/rules/catalogue.ts

lock: $(STAMPS)/dev ## resolve the Python packages anew from pyproject.toml
	$(BIN)/uv pip compile --quiet --universal --python-version 3.11 --generate-hashes --no-header \
	  --extra stand-in --group build pyproject.toml -o requirements/runtime.txt
	$(BIN)/uv pip compile --quiet --universal --python-version 3.11 --generate-hashes --no-header \
	  --extra stand-in --group build --group dev -c requirements/runtime.txt pyproject.toml -o requirements/dev.txt

bench: setup ## measure, and write docs/benchmarks.md
	$(BIN)/python -m benchmarks.run

bench-large: setup ## ask a mailbox of 500,000 messages what `make bench` asks one of 100,000
	$(BIN)/python -m benchmarks.large

fuzz: setup $(STAMPS)/dev ## let odd mail, rules, files and requests come in, for SECONDS (300)
	$(BIN)/python -m fuzzing --seconds $(or $(SECONDS),300)

audit: setup $(STAMPS)/dev ## report versions with known vulnerabilities, as far as a package can tell
	$(BIN)/python tools/audit.py

load: setup $(STAMPS)/dev ## mail arrives, a catch-up runs and three browsers rehearse, for a minute
	$(BIN)/python -m benchmarks.load

screenshots: setup $(STAMPS)/dev ## take docs/screenshots anew from the demo
	$(BIN)/python tools/screenshots.py

clean: ## remove what was installed and built (mail is kept)
	rm -rf $(VENV) $(STAMPS) web/node_modules src/mnemic/web
