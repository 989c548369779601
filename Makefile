# Two commands matter: `make demo` and `make test`. Each sets up what it needs.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready
FONTS_READY := .cache/fonts/index.json
TRAIN_VENV := .cache/venv-training
TRAIN_READY := $(TRAIN_VENV)/.ready

.PHONY: demo test lint types bench press torture schema screenshots fonts demo-pages training test-training wheel clean help

help: ## Show what can be made
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*## /\t/' | expand -t 16

$(READY): pyproject.toml constraints.txt tools/system_libraries.sh
	@sh tools/system_libraries.sh
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	@echo "Setting up $(VENV) …"
	@$(BIN)/pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[test,synth,bench]'
	@touch $@

demo: $(READY) ## Open the window with the demo docket (without a display: convert it)
	@$(BIN)/keel-line demo

test: $(READY) ## Run the tests
	@sh tools/test_programs.sh
	@QT_QPA_PLATFORM=offscreen $(BIN)/pytest -n 3 --dist worksteal

lint: $(READY) ## Check style and the direction of imports
	@$(BIN)/ruff check . && $(BIN)/ruff format --check . && $(BIN)/lint-imports --no-cache

types: $(READY) ## Check types
	@$(BIN)/mypy

$(FONTS_READY): synth/faces.py synth/fetch.py $(READY)
	@$(BIN)/python -m synth.fetch
	@touch $@

fonts: $(FONTS_READY) ## Fetch the faces and word lists that pages are made with

bench: $(FONTS_READY) ## Measure accuracy, speed and memory; writes docs/accuracy.md
	@$(BIN)/python -m benchmarks.run

press: $(FONTS_READY) ## Set the pages of the press room again, with the programs that set them
	@sh tools/press_programs.sh $(BIN)/python
	@$(BIN)/python -m synth.press.make --split benchmark --pages 3
	@$(BIN)/python -m synth.press.make --split choose --pages 3 --out .cache/press/choose

torture: $(READY) ## Kill, damage and listen: what must hold; writes docs/torture.md
	@sh tools/test_programs.sh
	@$(BIN)/python -m benchmarks.torture

schema: $(READY) ## Write the schema of jigs from the code
	@$(BIN)/python -m tools.schema

screenshots: $(READY) ## Take the pictures in docs/screenshots from the demo docket
	@sh tools/screenshots.sh $(BIN)/python

demo-pages: $(FONTS_READY) ## Make the demo's pages again
	@$(BIN)/python -m demo.make

$(TRAIN_READY): pyproject.toml constraints.txt
	@test -x $(TRAIN_VENV)/bin/python || $(PYTHON) -m venv $(TRAIN_VENV)
	@$(TRAIN_VENV)/bin/pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[test,synth,training]'
	@touch $@

training: $(TRAIN_READY) $(FONTS_READY) ## Train the recogniser anew (hours) and install its weights
	@sh training/reproduce.sh $(TRAIN_VENV)/bin/python

test-training: $(TRAIN_READY) ## Run the tests of training, which need PyTorch
	@$(TRAIN_VENV)/bin/pytest tests/training

wheel: $(READY) ## Build the wheel, install it in a clean environment, and start it
	@sh tools/check_wheel.sh $(BIN)/python

clean: ## Remove what was set up here (not the cache of fonts and material)
	rm -rf $(VENV) .pytest_cache .mypy_cache .ruff_cache
