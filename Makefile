# `make` alone prints what there is.
.DEFAULT_GOAL := help
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.ready

help:
	@echo "make demo    build the demo station, put it on air and open the desk on it"
	@echo "make test    lint, type-check and test"
	@echo "make bench   print the benchmark table"
	@echo "make nights  two simulated nights on air with everything that goes wrong with logs"
	@echo "make faults  a table of faults, each done to the real engine"
	@echo "make soak    DAYS=30 SEED=n: simulated days with faults, odd files, kills, a day at pace"
	@echo "make pictures the pictures of the documents, taken of the demo station"
	@echo "make lint    ruff and mypy only"
	@echo "make lock    write requirements.lock anew from pyproject.toml"
	@echo "make clean   remove the environment and caches"

$(STAMP): requirements.lock pyproject.toml tools/setup.sh
	@PYTHON=$(PYTHON) tools/setup.sh $(VENV)
	@touch $(STAMP)

demo: $(STAMP)
	@$(BIN)/nightly-spindle demo

lint: $(STAMP)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

test: lint
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q

nights: $(STAMP)
	@$(BIN)/python tools/nights.py

faults: $(STAMP)
	@tools/setup_faults.sh
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/faults.py

soak: $(STAMP)
	@$(BIN)/python tools/soak.py --days $(or $(DAYS),30) $(if $(SEED),--seed $(SEED))

pictures: $(STAMP)
	@$(BIN)/python tools/pictures.py

bench: $(STAMP)
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/bench.py

lock: $(STAMP)
	$(BIN)/pip freeze --exclude-editable --exclude setuptools --exclude pip --exclude wheel > requirements.lock

clean:
	rm -rf $(VENV) .mypy_cache .ruff_cache .pytest_cache .hypothesis build

.PHONY: help demo lint test bench nights faults soak pictures lock clean
