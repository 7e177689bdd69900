# Every target sets up what it needs in .venv; nothing is to be prepared by hand.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/ready

.PHONY: demo test real lint script attack truth screenshots bench clean

demo: $(READY)
	rm -rf demo
	$(BIN)/ichnos demo demo

test: $(READY)
	$(BIN)/pytest

# Packs for real systems, which those systems load: needs Debian's packages (see .ci/run).
real: $(READY)
	$(BIN)/python tools/real.py

lint: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python tools/edge.py
	$(BIN)/python tools/house.py

# The types of the listening page's script, where Node.js is there.
script:
	@if command -v npx >/dev/null; then \
		npx --yes --package typescript@5 tsc --noEmit --allowJs --checkJs --strict \
			--noUnusedLocals --target es2022 --module es2022 --moduleResolution bundler \
			--lib dom,dom.iterable,es2023 src/ichnos/page/script/*.js; \
	else echo "There is no npx: the page's script is not checked."; fi

# Some 5,000 cases of what strangers, slips and a bad day bring; far longer than the tests.
attack: $(READY)
	$(BIN)/python benchmarks/attack.py

# Every figure and change of sound against an independent one: see docs/clips.md.
truth: $(READY)
	$(BIN)/python benchmarks/truth.py

# Needs Debian's xvfb, xterm and imagemagick (or the like): see CONTRIBUTING.md.
screenshots: $(READY)
	$(BIN)/python tools/screenshots.py

bench: $(READY)
	$(BIN)/python benchmarks/startup.py
	$(BIN)/python benchmarks/definitions.py
	$(BIN)/python benchmarks/conversion.py
	$(BIN)/python benchmarks/workspace.py
	$(BIN)/python benchmarks/installing.py
	$(BIN)/python benchmarks/rehearsal.py
	$(BIN)/python benchmarks/listening.py

$(READY): pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --upgrade pip
	$(BIN)/python -m pip install --quiet --editable '.[dev]'
	touch $(READY)

clean:
	rm -rf $(VENV) demo dist
