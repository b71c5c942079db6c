# make demo    sets everything up and serves the demo workspace
# make test    sets everything up and runs every check
# make setup   Python environment and front end    make bench   benchmarks, written to docs/benchmarks.md
# make bench-evidence  importance beside formulas, findings and surfaces beside the truth, face-offs replayed beside fitted
# make bench-cluster   what a cluster costs beside local workers, and what many machines cost the server
# make bench-own     what Pellux adds to your own programs and functions, kills, leases
# make bench-memory    what earlier problems are worth to a search, on tables of real fits
# make bench-long      5,000 trials of the Gaussian process on two functions, what its closer looks gain (80 minutes)
# make bench-stopping   what early stopping saves and costs, on tables of real fits
# make wheel   dist/pellux-VERSION.whl with the built pages      make coverage   what the Python tests reach
# make soak MINUTES=30   faults at random under searches of every kind; ends with 1 at the first broken promise
# make check-numbers   an independent computation of scores and exports, beside ours
# make shots   docs/screenshots from the demo      make dev     front end with live reload (beside `pellux serve`)
# make frontend-checks   those that need Node alone, if anything under frontend has changed; `make test` runs them while Python's packages are installed
# make format  formats everything                  make types   OpenAPI document, schemas and TypeScript types anew

PYTHON ?= python3
BIN := .venv/bin
STATIC := src/pellux/web/static/index.html
SOURCES := $(shell find frontend/src frontend/index.html frontend/public -type f 2>/dev/null)
# Folders too: one of them changes when a file goes.
CHECKED := $(shell find frontend/src frontend/tests frontend/public 2>/dev/null) $(wildcard frontend/*.js frontend/*.ts frontend/*.json frontend/.prettier*) docs/openapi.json tests/run_all.py

.PHONY: demo test setup bench bench-brief bench-cluster bench-own bench-evidence bench-deciding bench-long bench-memory bench-stopping bench-strategies check-numbers wheel coverage shots soak dev format types browser frontend-checks clean

demo: setup
	$(BIN)/pellux demo

test:
	@$(MAKE) --no-print-directory -j4 setup browser frontend-checks
	$(BIN)/python -m tests.run_all

setup: .setup/python $(STATIC)

# What is loaded is compiled once here; pip would compile almost four times as many modules, which takes nearly as long as all the rest.
LOADED := pellux.engine.preload, pellux.engine.cluster.seat, pellux.web.server, pellux.api, hypothesis, pytest, schemathesis, selenium.webdriver

.setup/python: pyproject.toml constraints.txt
	@mkdir -p .setup
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --no-compile --disable-pip-version-check -c constraints.txt -e '.[dev,onnx,xgboost,cluster]'
	env -u PYTHONDONTWRITEBYTECODE $(BIN)/python -c 'import $(LOADED)'
	@touch $@

.setup/node: frontend/package.json frontend/package-lock.json
	@mkdir -p .setup
	cd frontend && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(STATIC): .setup/node $(SOURCES) frontend/vite.config.ts frontend/tsconfig.json
	cd frontend && npx vite build --logLevel warn
	@touch $@

frontend-checks: .setup/frontend

# Like everything that is made: once, and again when something that it is made of has changed, or when it failed.
.setup/frontend: .setup/node $(CHECKED)
	@$(PYTHON) -m tests.run_all frontend
	@test -e .setup/frontend.failed || touch $@

browser:
	@command -v chromium >/dev/null && test -x /usr/bin/chromedriver || \
		{ apt-get update -qq && apt-get install -y -qq chromium chromium-driver; }

bench: setup
	$(BIN)/python -m benchmarks.run

bench-brief: setup
	$(BIN)/python -m benchmarks.brief

bench-cluster: setup
	$(BIN)/python -m benchmarks.cluster.run

bench-own: setup
	$(BIN)/python -m benchmarks.own.run

bench-evidence: setup browser
	$(BIN)/python -m benchmarks.evidence.importance 12
	$(BIN)/python -m benchmarks.evidence.findings 300 60
	$(BIN)/python -m benchmarks.evidence.surfaces 100
	$(BIN)/python -m benchmarks.evidence.faceoffs 16
	$(BIN)/python -m benchmarks.evidence.brushing

bench-deciding: setup browser
	$(BIN)/python -m benchmarks.deciding

bench-memory: setup
	$(BIN)/python -m benchmarks.memory.run
	$(BIN)/python -m benchmarks.memory.run 3 'parzen density'
	$(BIN)/python -m benchmarks.memory.run 3 'gain per second'
	$(BIN)/python -m benchmarks.memory.run 3 'gaussian process' kin
	$(BIN)/python -m benchmarks.memory.run 3 'parzen density' kin
	$(BIN)/python -m benchmarks.memory.pieces
	$(BIN)/python -m benchmarks.memory.reach
	$(BIN)/python -m benchmarks.memory.fronts
	$(BIN)/python -m benchmarks.memory.fronts 3 'parzen density'

bench-stopping: setup
	$(BIN)/python -m benchmarks.stopping.run

bench-strategies: setup
	$(BIN)/python -m benchmarks.strategies.run
	$(BIN)/python -m benchmarks.strategies.beginning 3
	$(BIN)/python -m benchmarks.strategies.refitted 3
	$(BIN)/python -m benchmarks.strategies.many 1
	$(BIN)/python -m benchmarks.strategies.limited --seeds 5
	$(BIN)/python -m benchmarks.strategies.several --seeds 3

bench-long: setup
	$(BIN)/python -m benchmarks.strategies.long
	$(BIN)/python -m benchmarks.strategies.closer

check-numbers: setup
	$(BIN)/python -m benchmarks.numbers.run

wheel: setup
	rm -rf build dist
	$(BIN)/python -m pip wheel --quiet --disable-pip-version-check --no-deps --wheel-dir dist .

coverage: setup browser
	$(BIN)/python -m coverage erase
	$(BIN)/python -m coverage run -m pytest -p no:xdist -m 'not slow'
	$(BIN)/python -m coverage report --skip-covered --sort=cover

MINUTES ?= 30
SEED ?= 1

soak: setup
	$(BIN)/python -m benchmarks.soak.run $(MINUTES) $(SEED)

shots: setup browser
	$(BIN)/python -m tests.browser.shots

dev: setup
	cd frontend && npx vite

types: setup
	$(BIN)/python -m pellux.web.documents
	cd frontend && npm run --silent types

format: setup
	$(BIN)/ruff check --fix-only --quiet src tests benchmarks
	$(BIN)/ruff format --quiet src tests benchmarks
	cd frontend && npm run --silent format

clean:
	rm -rf .venv .setup build dist frontend/node_modules src/pellux/web/static
