# make demo, make test: each sets up a project-local .venv when it has to, and is quick the second time.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo test lint bench pictures reference docs clean

demo: $(READY)
	$(BIN)/nivvo compile
	$(BIN)/nivvo demo

test: $(READY)
	$(BIN)/python -m tests

lint: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .

bench: $(READY)
	$(BIN)/python -m benchmarks

reference: $(READY)
	$(BIN)/python docs/reference.py

pictures: $(READY)
	$(BIN)/python docs/pictures.py

docs: $(READY)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[docs]'
	$(BIN)/python -m sphinx -qW --keep-going docs docs/_build
	@echo "open docs/_build/index.html"

$(READY): pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Nivvo needs Python 3.11 or newer; call make PYTHON=python3.11" if sys.version_info < (3, 11) else 0)'
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	@# Once, here: where Python is told to keep nothing that it compiles, each process would do it anew.
	$(BIN)/python -m compileall -q src
	touch $(READY)

clean:
	rm -rf $(VENV) nivvo-demo .ruff_cache .hypothesis docs/_build docs/_made
