# Lumenar: `make demo` runs it, `make test` checks it. Both install all they need, and are fast the second time.
SHELL := /bin/bash
.DEFAULT_GOAL := demo
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8140

WEB_SOURCES := $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/vite.config.ts web/tsconfig.json

.PHONY: setup demo test lint check-api bench truth tuning mutants screenshots api chromium clean

setup: $(VENV)/.ready src/lumenar/static/index.html  ## .venv with .venv/bin/lumenar, and the built web client

$(VENV)/.ready: pyproject.toml constraints.txt
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Lumenar needs Python 3.11 or newer; say which with 'make PYTHON=...'."; exit 1; }
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV) || { echo "Python cannot make a virtual environment; on Debian: apt-get install python3-venv"; exit 1; }
	$(BIN)/pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[dev]'
	@touch $@

web/node_modules/.ready: web/package.json web/package-lock.json
	@command -v npm >/dev/null || { echo "Lumenar needs Node 20 with npm to build its web client."; exit 1; }
	@# Not 'npm ci': it would throw away what is installed already.
	cd web && npm install --no-save --no-audit --no-fund --loglevel=error
	@touch $@

src/lumenar/static/index.html: web/node_modules/.ready $(WEB_SOURCES)
	cd web && npx --no-install vite build --logLevel warn

demo: setup  ## build the demonstration by really running the bench, then serve it
	$(BIN)/lumenar demo --data .demo --port $(PORT)

lint: setup check-api
	$(BIN)/ruff check src tests benchmarks
	$(BIN)/ruff format --check --quiet src tests benchmarks
	$(BIN)/mypy
	$(BIN)/lint-imports
	cd web && npx --no-install biome ci . && npx --no-install tsc --noEmit

build/openapi.json: $(VENV)/.ready $(shell find src/lumenar -name '*.py')
	@mkdir -p build
	$(BIN)/python -m lumenar.api.openapi > $@

api: build/openapi.json web/node_modules/.ready  ## generate the web client's types from the API
	cd web && npx --no-install openapi-typescript ../build/openapi.json --default-non-nullable=false -o src/api/schema.d.ts

check-api: build/openapi.json web/node_modules/.ready
	@cd web && npx --no-install openapi-typescript ../build/openapi.json --default-non-nullable=false -o ../build/schema.d.ts >/dev/null 2>&1
	@diff -q build/schema.d.ts web/src/api/schema.d.ts >/dev/null || { echo "web/src/api/schema.d.ts is out of date; run 'make api'."; exit 1; }

chromium:
	@command -v chromium >/dev/null && command -v chromedriver >/dev/null || { \
	  apt="apt-get"; [ "$$(id -u)" = 0 ] || apt="sudo -n apt-get"; \
	  { $$apt update -qq && $$apt install -y -qq chromium chromium-driver >/dev/null; } || \
	  { echo "The browser tests need Chromium. Not allowed to install it here; run: apt-get install chromium chromium-driver"; exit 1; }; }

test: lint chromium  ## lint, types, architecture rules, unit, API and browser tests
	cd web && npx --no-install vitest run
	$(BIN)/pytest -n 2 --dist loadfile --no-loadscope-reorder

bench: setup chromium  ## speed and size, as ratios and counts side by side
	$(BIN)/python -m benchmarks
	$(BIN)/python -m benchmarks.load
	$(BIN)/python -m benchmarks.smooth
	$(BIN)/python -m benchmarks.importing
	$(BIN)/python -m benchmarks.reports

truth: setup  ## how often the truth lies in the intervals, from 1200 simulated surveys; takes a quarter of an hour
	$(BIN)/python -W ignore -m benchmarks.truth
	$(BIN)/python -W ignore -m benchmarks.conditions
	$(BIN)/python -W ignore -m benchmarks.firmware
	$(BIN)/python -W ignore -m benchmarks.findings
	KILLS=20 $(BIN)/pytest -q -p no:xdist tests/app/bench/test_kill.py -k random

tuning: setup  ## how near the solvers come to the best there is, on 50 random displays a goal; takes minutes
	$(BIN)/python -m benchmarks.tuning

mutants: setup  ## put 240 faults into the code, one at a time, and print those that no test notices
	$(BIN)/python -m benchmarks.mutants

screenshots: setup chromium  ## refresh docs/screenshots from the demonstration
	$(BIN)/python -m tests.web.screenshots

clean:
	rm -rf $(VENV) web/node_modules src/lumenar/static build .demo
