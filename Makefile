# Two commands matter: `make demo` and `make test`. Both set up what they need.

PYTHON ?= python3
BIN := .venv/bin
PORT ?= 8000
SOURCES := src tests bench

.PHONY: demo test check unit browser css css-check bench mutants shots test-long lock clean

demo: .venv/.ready
	@$(BIN)/unisequa demo --port $(PORT)

test: .venv/.ready-dev chromium check unit css-check browser

.venv/.ready: pyproject.toml requirements.lock
	@command -v $(PYTHON) >/dev/null || { echo "Python 3.11 or newer is needed; set PYTHON=…"; exit 1; }
	@test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e . -c requirements.lock
	@touch $@

.venv/.ready-dev: .venv/.ready
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev]' -c requirements.lock
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
	UNISEQUA_EXAMPLES=$${UNISEQUA_EXAMPLES:-1000} $(BIN)/pytest --ignore tests/browser -n 2 --dist worksteal

browser: .venv/.ready-dev
	$(BIN)/pytest tests/browser -n 2

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

test-long: .venv/.ready-dev
	@sh assets/psplib.sh
	UNISEQUA_EXAMPLES=$${UNISEQUA_EXAMPLES:-6000} $(BIN)/pytest tests/core

lock: .venv/.ready-dev
	$(BIN)/python -m pip freeze --exclude-editable > requirements.lock

clean:
	rm -rf .venv demo-data
