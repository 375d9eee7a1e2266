# Everything runs in .venv, which `make setup` makes; no other state of the machine is assumed.

PYTHON ?= $(shell command -v python3.11 || command -v python3)
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/ready
MEASURES := $(VENV)/measures
# What songs to learn from and to measure on are rendered with.
SOUNDS := fluidsynth fluid-soundfont-gm timgm6mb-soundfont hydrogen-drumkits hydrogen-drumkits-effects \
  musescore-general-soundfont csound-soundfont

# What a display, a message bus and its accessibility service are made of, for the tests of screen readers.
READERS := xvfb dbus at-spi2-core

.PHONY: setup demo test fuzz mutants texts lint format bench train screenshots docs lock clean

setup: $(READY)

$(READY): pyproject.toml tools/install-system-libraries
	tools/install-system-libraries
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --upgrade "pip>=24"
	$(BIN)/pip install --quiet --editable ".[dev]"
	touch $(READY)

demo: setup
	$(BIN)/epiphane demo

test: setup
	-tools/install-system-libraries $(READERS)  # without them one test is skipped
	PYTHONDONTWRITEBYTECODE= QT_QPA_PLATFORM=offscreen $(BIN)/pytest

# Harms projects, recipes, journals and media by seeds that are new each time; the tests try a few fixed ones.
FUZZ_ROUNDS ?= 10000

fuzz: setup
	QT_QPA_PLATFORM=offscreen FUZZ_ROUNDS=$(FUZZ_ROUNDS) $(BIN)/pytest tests/fuzzing tests/desk/test_strangers.py

# Changes the core in one place at a time, and tells which changes no test notices; takes the better part of an hour.
MUTANTS ?= 60

mutants: setup
	$(BIN)/python tools/mutants.py --number $(MUTANTS)

# The texts of the window for who translates them: docs/translating.md.
texts: setup
	$(BIN)/python tools/texts.py

lint: setup
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports

format: setup
	$(BIN)/ruff format .
	$(BIN)/ruff check --fix .

$(MEASURES): $(READY)
	$(BIN)/pip install --quiet --editable ".[dev,measure]"
	touch $(MEASURES)

bench: setup $(MEASURES)
	tools/install-system-libraries $(SOUNDS)
	$(BIN)/python -m benchmarks

train: setup
	tools/install-system-libraries $(SOUNDS)
	$(BIN)/python -m training.train

screenshots: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/make_screenshots.py

docs: setup
	$(BIN)/python tools/make_reference.py

# The exact versions, by their hashes, that an installation can be made of: `pip install -r requirements.lock`.
lock: setup
	$(BIN)/pip install --quiet uv
	$(BIN)/uv pip compile pyproject.toml --extra window --extra farm --generate-hashes --no-header --no-annotate \
	  --python-version 3.11 --quiet --output-file requirements.lock

clean:
	rm -rf $(VENV) build .mypy_cache .ruff_cache .pytest_cache .import_linter_cache .hypothesis
