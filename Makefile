# Everything a developer or a new user needs. `make demo` and `make test` set up what they use.
PYTHON ?= python3.11
VENV   := .venv
BIN    := $(VENV)/bin
READY  := $(VENV)/.ready

.PHONY: demo test check bench coverage boundaries wirings mutants numbers cases fuzz monkey kills bench-smoke screenshots schema docs clean

demo: $(READY)
	$(BIN)/pantelos demo

# One more than there are processors: many tests wait for a process, a window or a recorder.
WORKERS ?= $(shell echo $$(($$(nproc) + 1)))

# Tests wait for events, not for a time: what hangs is ended here, with the places where it hung.
test: $(READY)
	QT_QPA_PLATFORM=offscreen timeout --signal=ABRT 3600 $(BIN)/python -X faulthandler -m pytest -n $(WORKERS) --dist loadfile --no-loadscope-reorder

check: $(READY)
	$(BIN)/ruff format --check src tests benchmarks
	$(BIN)/ruff check src tests benchmarks
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(READY)
	$(BIN)/python -m benchmarks --record docs/benchmarks.md

monkey: $(READY)
	QT_QPA_PLATFORM=offscreen $(BIN)/python -X faulthandler tests/fuzz/monkey.py

fuzz: $(READY)
	$(BIN)/python tests/fuzz/fuzzing.py

kills: $(READY)
	$(BIN)/python tests/fuzz/kills.py

coverage: $(READY)
	$(BIN)/python tests/accuracy/truth_coverage.py --record docs/accuracy.md

boundaries: $(READY)
	$(BIN)/python tests/accuracy/boundary_corpus.py --record docs/accuracy.md

wirings: $(READY)
	$(BIN)/python tests/power/wiring_corpus.py --records 600

numbers: $(READY)
	PYTHONPATH=tests $(BIN)/python tests/unchanged/test_unchanged.py

mutants: $(READY)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r tests/mutants/requirements.txt
	$(BIN)/python tests/mutants/mutants.py

cases: $(READY)
	$(BIN)/python tests/accuracy/reference_cases.py docs/accuracy.md

bench-smoke: $(READY)
	$(BIN)/python -m benchmarks --small

screenshots: $(READY)
	QT_QPA_PLATFORM=offscreen $(BIN)/pantelos screenshots docs/screenshots

docs: $(READY)
	$(BIN)/python -m pantelos.formula.documentation docs/formula-language.md
	$(BIN)/python -m pantelos.scripting.listing docs/library.txt

schema: $(READY)
	$(BIN)/pantelos schema > docs/study.schema.json
	$(BIN)/pantelos schema limits > docs/limits.schema.json

$(READY): requirements.txt pyproject.toml tools/system-libraries.sh
	sh tools/system-libraries.sh
	$(PYTHON) -m venv $(VENV) || python3 -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	touch $(READY)

clean:
	find src -name '*.nb[ci]' -delete
	rm -rf $(VENV) build src/*.egg-info .mypy_cache .ruff_cache .pytest_cache .hypothesis .import_linter_cache
