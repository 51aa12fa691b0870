# make demo and make test set up whatever they need on a machine with Python 3.11 and a network.
PYTHON ?= $(shell command -v python3.11 || command -v python3)
VENV := .venv
BIN := $(VENV)/bin
.DEFAULT_GOAL := help
# What is compiled is kept, also where the surroundings say otherwise: each start of the program reads it again.
export PYTHONDONTWRITEBYTECODE :=
# As the program itself has it: these matrices are small, and threads of linear algebra would fight with the tests' own.
export OPENBLAS_NUM_THREADS := 1
.PHONY: help tools pango demo test check types doctests bench mutants soak assets screenshots clean

help:
	@echo "make demo         serve the demo builds on 127.0.0.1"
	@echo "make test         everything that must pass: make check, then all tests"
	@echo "make check        lint, types, layers, templates, doctests"
	@echo "make bench        costs, measured as ratios in one run"
	@echo "make mutants      faults put into every layer one at a time, and how many the tests catch"
	@echo "make soak         long attacks: kills, faults, load, what comes from outside; about an hour"
	@echo "make assets       rebuild styles, scripts and fonts under web/static (needs Node)"
	@echo "make screenshots  refresh docs/screenshots from the demo builds"

# The core's loops are compiled on first use, which takes some ten seconds: here, and not while somebody waits for a first page.
COMPILES := from briskcell.core.assess import assess; from briskcell.services.demo import demo_plans; [assess(p).work_out() for p in demo_plans()]

# Debian's packages, said before they are fetched.
packages = { echo "Installing system packages: $(1)"; { apt-get update -qq && apt-get install -y -qq $(1); } >/dev/null 2>&1; }

# The environment is made anew where it is missing or half made; the stamp names the locks it was made from.
define environment
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Python 3.11 or newer is needed."; exit 1; }
	@$(PYTHON) -c 'import ensurepip' 2>/dev/null || $(call packages,python3-venv)
	@echo "Making $(1): some 110 MB are downloaded for make demo, 230 MB for make test."
	$(PYTHON) -m venv --clear $(1)
	$(1)/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/$(2).txt
	$(1)/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	-$(1)/bin/python -c '$(COMPILES)'
	@touch $@
endef

$(VENV)/ready-run: requirements/run.txt
	$(call environment,$(VENV),run)

$(VENV)/ready-dev: requirements/dev.txt pyproject.toml
	$(call environment,$(VENV),dev)
	@touch $(VENV)/ready-run

demo: pango
	$(BIN)/brisk-cell demo

# What lays out paper. Without it everything else works, and the page says what is missing.
pango: $(VENV)/ready-run
	@$(BIN)/python -c 'import weasyprint' 2>/dev/null || $(call packages,libpango-1.0-0 libpangoft2-1.0-0) \
	  || echo "Pango is missing: sheets print from the browser, not as PDF."

# What the tests ask besides: a browser, a circuit simulator, a C compiler.
tools:
	@command -v chromium-headless-shell >/dev/null || timeout 120 sh -c '$(call packages,chromium-headless-shell)' || true
	@for tool in $$(command -v chromium-headless-shell >/dev/null || echo chromium:chromium) ngspice:ngspice cc:gcc; do \
	  command -v $${tool%:*} >/dev/null || missing="$$missing $${tool#*:}"; done; \
	  [ -z "$$missing" ] || $(call packages,$$missing libc6-dev)

check: $(VENV)/ready-dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/lint-imports --no-cache
	$(BIN)/djlint --lint --quiet src/briskcell/web/templates src/briskcell/exports/templates
	@$(MAKE) --no-print-directory --output-sync --jobs 2 types doctests

types: $(VENV)/ready-dev
	$(BIN)/mypy

doctests: $(VENV)/ready-dev
	$(BIN)/python -m pytest --doctest-modules $$(grep -rlF '>>> ' src --include '*.py')

# Assertions are taken as they stand, which reads the tests faster; what failed is run once more by itself, with all that it compared.
# That second run decides: tests that drive instruments in real time fail on a machine that stands still for a second meanwhile.
test: check pango tools
	$(BIN)/python -m pytest tests -n 3 --dist worksteal --assert=plain || $(BIN)/python -m pytest tests --last-failed --last-failed-no-failures=none

# A general battery library beside ours, in an environment of its own.
bench: $(VENV)/ready-dev
	@[ -x bench/.venv/bin/python ] || { $(PYTHON) -m venv bench/.venv && bench/.venv/bin/pip install --quiet --disable-pip-version-check pybamm==26.10.1.1; }
	$(BIN)/python bench/run.py

mutants: $(VENV)/ready-dev
	$(BIN)/python tests/mutants.py

soak: $(VENV)/ready-dev
	$(BIN)/python -m tests.soak

assets:
	cd assets && npm ci --silent
	cp assets/node_modules/fuse.js/dist/fuse.min.mjs assets/node_modules/htmx.org/dist/htmx.min.js assets/node_modules/uplot/dist/uPlot.iife.min.js assets/node_modules/uplot/dist/uPlot.min.css src/briskcell/web/static/vendor/
	cp assets/node_modules/axe-core/axe.min.js tests/vendor/
	cd assets && npx @tailwindcss/cli -i app.css -o ../src/briskcell/web/static/build/app.css --minify
	$(PYTHON) -m venv assets/.venv && assets/.venv/bin/pip install --quiet fonttools brotli
	assets/.venv/bin/python assets/fonts.py assets/node_modules src/briskcell/web/static/fonts src/briskcell/drawing
	$(BIN)/python assets/stamp.py

screenshots: $(VENV)/ready-dev tools
	$(BIN)/python docs/screenshots/take.py

clean:
	rm -rf $(VENV) assets/node_modules assets/.venv
