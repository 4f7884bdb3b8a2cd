# Every target makes the virtual environment by itself when it is needed.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.ready

.PHONY: demo test campaign lint bench reference screenshots clean

$(STAMP): pyproject.toml
	@$(PYTHON) tools/check_system.py
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --upgrade pip
	$(BIN)/pip install --quiet -e ".[dev]"
	@touch $(STAMP)

demo: $(STAMP)
	@$(BIN)/collage demo

# One process more than processors: while a window waits for its timers, another test runs.
PROCESSES := $(shell expr $$(nproc) + 1)
test: $(STAMP)
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q -n $(PROCESSES) --maxprocesses 4 --dist worksteal tests

MINUTES ?= 20
campaign: $(STAMP)
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/campaign.py --minutes $(MINUTES)
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/soak.py --minutes $(MINUTES)
	COLLAGE_EXAMPLES=campaign QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q -n auto --maxprocesses 4 tests/core

lint: $(STAMP)
	$(BIN)/ruff check --no-cache .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(STAMP)
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m benchmarks

reference: $(STAMP)
	$(BIN)/python tests/reference/redraw.py

screenshots: $(STAMP)
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/start_pictures.py
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/screenshots.py

clean:
	rm -rf $(VENV) .mypy_cache .ruff_cache demo-output
