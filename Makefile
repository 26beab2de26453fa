# `make` alone prints what there is.
.DEFAULT_GOAL := help
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.ready
# programs and tests start hundreds of processes: none of them is to compile everything again
export PYTHONDONTWRITEBYTECODE :=
# what needs no window and no engine process
QUICK := tests/core tests/audio tests/store tests/desk/kit/test_row_view.py tests/test_structure.py

help:
	@echo "make demo    build the demo station, put it on air and open the desk on it"
	@echo "make test    lint, type-check and test"
	@echo "make quick   the tests that need no window and no engine process, few examples"
	@echo "make mutants how many random mutants of the source the tests kill; SEED=n, COUNT=200"
	@echo "make deep    property tests with many examples; SEED=n runs them as they ran"
	@echo "make coverage which lines and branches no test reaches"
	@echo "make bench   print the benchmark table"
	@echo "make bench-quick  the ratios of a long-lived station, a fifth of its size"
	@echo "make nights  two simulated nights on air with everything that goes wrong with logs"
	@echo "make faults  a table of faults, each done to the real engine"
	@echo "make streams what is sent to listeners, checked against FFmpeg and a browser"
	@echo "make soak    DAYS=30 SEED=n: simulated days with faults, odd files, kills, a day at pace"
	@echo "make pictures the pictures of the documents, taken of the demo station"
	@echo "make install put it among your applications (PREFIX=~/.local); make uninstall"
	@echo "make dist    build the wheel and try it in an empty environment"
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

# types are checked beside the tests: that takes one processor for most of a minute
test: $(STAMP)
	@$(MAKE) --no-print-directory -j2 lint tests

# more workers than processors: many tests wait
.PHONY: tests
tests: $(STAMP)
	QT_QPA_PLATFORM=offscreen EXAMPLES=0.4 $(BIN)/python -m pytest -q -n 5 --dist worksteal

quick: $(STAMP)
	@EXAMPLES=0.1 $(BIN)/python -m pytest -q -n 2 -m "not slow" $(QUICK)

deep: $(STAMP)
	@SEED=$${SEED:-$$(od -An -N4 -tu4 /dev/urandom | tr -d ' ')}; echo "seed $$SEED"; \
	QT_QPA_PLATFORM=offscreen EXAMPLES=20 $(BIN)/python -m pytest -q -n 2 --timeout 3600 \
		--hypothesis-seed=$$SEED $(QUICK) tests/air/test_overlay_air.py

coverage: $(STAMP)
	@QT_QPA_PLATFORM=offscreen EXAMPLES=0.4 $(BIN)/python -m pytest -q -n 3 --cov=nightly_spindle \
		--cov-branch --cov-report=term:skip-covered

mutants: $(STAMP)
	@$(BIN)/python tools/mutants.py $(if $(SEED),--seed $(SEED)) $(if $(COUNT),--count $(COUNT))

nights: $(STAMP)
	@$(BIN)/python tools/nights.py

faults: $(STAMP)
	@tools/setup_faults.sh
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/faults.py

soak: $(STAMP)
	@$(BIN)/python tools/soak.py --days $(or $(DAYS),30) $(if $(SEED),--seed $(SEED))

pictures: $(STAMP)
	@$(BIN)/python tools/pictures.py

bench-quick: $(STAMP)
	@$(BIN)/python tools/bench_big.py --scale 0.2 --ratios

bench: $(STAMP)
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/bench.py

streams: $(STAMP)
	@tools/setup_outside.sh
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q -rs tests/outputs

real-music: $(STAMP)
	@$(BIN)/python tools/real_music.py

# for this user: an environment of its own below PREFIX, an entry among the applications
PREFIX ?= $(HOME)/.local
OWN := $(PREFIX)/share/nightly-spindle/environment

install: $(STAMP)
	@$(PYTHON) -m venv "$(OWN)"
	@"$(OWN)/bin/python" -m pip install --quiet --disable-pip-version-check -c requirements.lock --upgrade .
	@mkdir -p "$(PREFIX)/bin"
	@ln -sf "$(OWN)/bin/nightly-spindle" "$(PREFIX)/bin/nightly-spindle"
	@$(BIN)/python tools/install.py "$(PREFIX)"
	@echo "Nightly Spindle is among your applications, and is $(PREFIX)/bin/nightly-spindle"

uninstall: $(STAMP)
	@$(BIN)/python tools/install.py "$(PREFIX)" --remove
	@rm -rf "$(OWN)" "$(PREFIX)/bin/nightly-spindle"
	@rmdir --ignore-fail-on-non-empty "$(PREFIX)/share/nightly-spindle"
	@echo "The program is gone; stations and their audio are as they were."

# the wheel, tried in an empty environment
dist: $(STAMP)
	@rm -rf build dist
	@$(BIN)/python -m pip wheel --quiet --disable-pip-version-check --no-deps -w dist .
	@tools/try_wheel.sh dist/*.whl

lock: $(STAMP)
	$(BIN)/pip freeze --exclude-editable --exclude setuptools --exclude pip --exclude wheel > requirements.lock

clean:
	rm -rf $(VENV) dist .mypy_cache .ruff_cache .pytest_cache .hypothesis build

.PHONY: bench-quick help install uninstall dist demo lint test quick deep coverage mutants bench nights faults soak pictures streams real-music lock clean
