# Matched Pair. `make demo` starts it with demo data; `make test` checks everything. `make help` lists the rest.
SHELL := /bin/bash
.DEFAULT_GOAL := help
export PATH := $(CURDIR)/.venv/bin:$(PATH)
export MATCHEDPAIR_HOME ?= $(CURDIR)/var
export MATCHEDPAIR_PORT ?= 8321
# where this is set, every process compiles all that it imports: an engine starts in 2.5 s instead of 0.9
unexport PYTHONDONTWRITEBYTECODE
PYTHON ?= python3.11
MAKEFLAGS += --jobs=2

WEB_SOURCES := $(shell find web/src web/public web/index.html web/*.ts web/*.json -type f 2>/dev/null)
KERNELS := $(wildcard standins/*/*kernels.py)

.PHONY: help setup demo dev test lint lint-types lint-api lint-web bench fuzz endure screenshots words demo-data schema clean backup restore verify

help: ## list the targets
	@grep -hE '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:[^#]*## /\t/' | expand -t 16

setup: .venv/tests-installed web/dist/index.html .venv/kernels-warm ## install everything and build the interface

demo: .venv/installed web/dist/index.html ## start with demo data (keeps what is there)
	@python server/port_free.py
	@python manage.py prepare
	@# the page need not wait for it, renders do
	@test -e .venv/kernels-warm || { nice python manage.py before_renders "compiling the stand-in engines, once" -- \
	  env --unset=MAKEFLAGS $(MAKE) --silent --jobs=2 .venv/kernels-warm & }
	@python manage.py load_data --if-empty demo/data
	@echo "Matched Pair: http://127.0.0.1:$(MATCHEDPAIR_PORT)  (Ctrl+C stops it)"
	@exec honcho start

dev: setup ## both servers with reload, at http://127.0.0.1:5173
	@python server/port_free.py
	@python manage.py prepare
	@exec honcho start -f Procfile.dev

ifdef FAST
test: setup ## lint, then all tests; FAST=1: without lint, browsers, processes that are killed, and long tests
	python -m tests fast
else
test: setup chromium lint
	python -m tests
endif

lint: lint-types lint-api lint-web ## every check that runs nothing
	ruff check .
	ruff format --check .
	lint-imports
	python -m tests.house
	python manage.py makemigrations --check --dry-run
	python -m tests.words --check

lint-types: .venv/tests-installed
	mypy

lint-api: .venv/tests-installed web/node_modules/installed
	python manage.py spectacular --validate --fail-on-warn --format openapi-json --file .venv/openapi.json
	diff -q .venv/openapi.json server/openapi.json || (echo "server/openapi.json is stale: run make schema"; exit 1)
	cd web && npx openapi-typescript ../server/openapi.json -o ../.venv/schema.d.ts >/dev/null
	diff -q .venv/schema.d.ts web/src/api/schema.d.ts || (echo "web/src/api/schema.d.ts is stale: run make schema"; exit 1)

lint-web: web/node_modules/installed
	cd web && npm run --silent lint

backup: .venv/installed ## copy all that is kept: make backup TO=folder
	@test -n "$(TO)" || { echo "Say where to: make backup TO=/mnt/copies/matched-pair"; exit 2; }
	@python manage.py backup "$(TO)"

restore: .venv/installed ## bring a copy back: make restore FROM=folder
	@test -n "$(FROM)" || { echo "Say from where: make restore FROM=/mnt/copies/matched-pair"; exit 2; }
	@python manage.py restore "$(FROM)"

verify: .venv/installed ## check every picture and the database, here or of a copy: make verify [OF=folder]
	@python manage.py verify $(if $(OF),"$(OF)")

schema: .venv/tests-installed web/node_modules/installed ## write the API schema and the types made from it
	python manage.py spectacular --validate --fail-on-warn --format openapi-json --file server/openapi.json
	cd web && npm run --silent types

bench: setup chromium ## measure speed and honesty of the bench, as ratios
	python -m benchmarks

fuzz: setup ## thousands of odd requests to every address: make fuzz [REQUESTS=5000]
	python -m tests.fuzz $(REQUESTS)

endure: setup ## an hour of renders while everything goes wrong: make endure [MINUTES=60]
	python -m benchmarks.endure $(MINUTES)

screenshots: setup chromium ## take docs/screenshots anew from the demo data
	python -m demo.screenshots

words: .venv/tests-installed ## write docs/words.md anew, to be read aloud
	python -m tests.words

demo-data: setup ## render the demo data anew
	MATCHEDPAIR_HOME=$$(mktemp -d) MATCHEDPAIR_MACHINE=lane-bench python demo/make_data.py

clean: ## remove what setup made; data in var/ stays
	rm -rf .venv web/node_modules web/dist

APT := timeout 300 apt-get -o Acquire::Retries=0 -o Acquire::http::Timeout=20
INSTALL := $(APT) install -y -qq chromium-headless-shell

.PHONY: chromium
chromium:
	@command -v chromium-headless-shell >/dev/null || { \
	  echo "The browser tests need Debian's chromium-headless-shell, or chromium, with which they take longer."; \
	  { [ "$$(id -u)" = 0 ] && { $(INSTALL) || { $(APT) update -qq && $(INSTALL); }; } >/dev/null 2>&1; } || \
	  command -v chromium >/dev/null || \
	  { echo "Could not install it: run 'sudo apt-get install chromium-headless-shell' and try again."; exit 1; }; }

.venv/installed: requirements.lock pyproject.toml
	@command -v $(PYTHON) >/dev/null || { echo "Python 3.11 is missing: install python3.11 and its venv package, or set PYTHON."; exit 1; }
	@test -x .venv/bin/python || $(PYTHON) -m venv .venv || { echo "Could not make .venv: install the venv package of Python (Debian: python3-venv)."; exit 1; }
	@echo "Installing Python packages …"
	@# without compiling all that is in them: Python does that for what is used
	.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-compile --requirement requirements.lock
	PYTHONWARNINGS=ignore .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --editable .
	@touch $@

.venv/tests-installed: requirements-tests.lock .venv/installed
	@echo "Installing what tests and checks need …"
	.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-compile --no-deps --requirement requirements-tests.lock
	@touch $@

web/node_modules/installed: web/package-lock.json
	@command -v npm >/dev/null || { echo "Node and npm are missing: install Node 20.19 or later."; exit 1; }
	@echo "Installing front-end packages …"
	@# not "npm ci": it refuses a lock without the other platforms' binaries, which not every registry carries
	cd web && npm install --no-save --silent --no-audit --no-fund
	@touch $@

web/dist/index.html: web/node_modules/installed $(WEB_SOURCES)
	cd web && npx vite build --logLevel warn
	@touch $@

.venv/kernels-warm: .venv/installed $(KERNELS) core/matchedpair/measures/kernels.py core/matchedpair/pictures/pyramid_kernels.py $(wildcard standins/*.py standins/*/*.py)
	@echo "Compiling the stand-in engines and the measures, once …"
	@# two at a time; what alder compiles first the others share
	@set -e; python -m matchedpair.measures.kernels & alder --warm >/dev/null; wait $$!
	@set -e; tansy --warm >/dev/null & sorrel --warm >/dev/null; wait $$!
	@sedge --warm >/dev/null
	@touch $@
