# Two commands matter: `make demo` and `make test`. Both set up what they need.

PYTHON ?= python3
BIN := .venv/bin
PORT ?= 8000
SOURCES := src tests bench
PIP := $(BIN)/python -m pip install --quiet --disable-pip-version-check

.PHONY: demo test check unit browser css css-check bench mutants shots fuzz test-long lock clean

demo: .venv/.ready
	@echo "Starting the demo; the first time it is filled in, which takes some twenty seconds."
	@$(BIN)/unisequa demo --port $(PORT)

test: .venv/.ready-dev chromium check unit css-check browser

.venv/.ready: pyproject.toml requirements.lock
	@command -v $(PYTHON) >/dev/null || { echo "Python 3.11 or newer is needed; set PYTHON=…"; exit 1; }
	@test -x $(BIN)/python || { echo "Setting up in .venv, which takes about a minute the first time …"; $(PYTHON) -m venv .venv; }
	$(PIP) --require-hashes -r requirements.lock
	$(PIP) --no-deps -e .
	@touch $@

.venv/.ready-dev: .venv/.ready requirements-dev.lock
	$(PIP) --require-hashes -r requirements-dev.lock
	@touch $@

.PHONY: chromium
chromium:
	@sh assets/chromium.sh

check: .venv/.ready-dev
	$(BIN)/ruff format --check $(SOURCES)
	$(BIN)/ruff check $(SOURCES)
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/djlint src/unisequa/web/html --lint --quiet
	@sh assets/lint.sh

unit: .venv/.ready-dev
	@sh assets/psplib.sh
	TMPDIR=$$(sh assets/scratch.sh) UNISEQUA_EXAMPLES=$${UNISEQUA_EXAMPLES:-1000} \
	  $(BIN)/pytest --ignore tests/browser -n 2 --dist worksteal

browser: .venv/.ready-dev
	TMPDIR=$$(sh assets/scratch.sh) $(BIN)/pytest tests/browser -n 2

# The built stylesheet, fonts and scripts are committed; where Node is there they are compared with a rebuild.
css:
	cd assets && npm ci --ignore-scripts --silent && sh build.sh ../src/unisequa/web/static

css-check:
	@sh assets/check.sh

bench: .venv/.ready-dev
	$(BIN)/python -m bench

mutants: .venv/.ready-dev
	$(BIN)/python -m bench.mutants

shots: .venv/.ready-dev chromium
	$(BIN)/python -m bench.shots

# What is sent to every address, of any shape; five people shifting runs that wait for each other; for some minutes.
fuzz: .venv/.ready-dev
	UNISEQUA_FUZZ=$${UNISEQUA_FUZZ:-10000} $(BIN)/pytest tests/web/test_inputs.py tests/web/test_schema.py -n 2
	UNISEQUA_MINUTES=$${UNISEQUA_MINUTES:-4} $(BIN)/pytest tests/store/test_linked_runs.py

test-long: .venv/.ready-dev
	@sh assets/psplib.sh
	UNISEQUA_EXAMPLES=$${UNISEQUA_EXAMPLES:-6000} $(BIN)/pytest tests/core

# The newest versions that fit, with the hashes of their files: what the program needs, and what its tests need.
LOCK := --quiet --upgrade --generate-hashes --strip-extras --no-header --no-annotate \
	--no-emit-index-url --no-emit-find-links --no-emit-trusted-host
lock:
	$(PYTHON) -m venv .venv/lock
	.venv/lock/bin/python -m pip install --quiet --disable-pip-version-check pip-tools
	.venv/lock/bin/pip-compile $(LOCK) -o requirements.lock pyproject.toml
	.venv/lock/bin/pip-compile $(LOCK) --extra dev --extra postgresql -c requirements.lock -o requirements-dev.lock pyproject.toml

clean:
	rm -rf .venv demo-data
