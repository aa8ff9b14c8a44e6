# Everything from a fresh checkout: each target first sees to system libraries, .venv and the pinned packages.
PY := .venv/bin/python
export OPENBLAS_NUM_THREADS ?= 1
# Engine, guardian and stand-in are processes: without kept bytecode each would compile the program anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: setup demo demo-book test test-long test-seeds lint format bench screenshots install-desktop clean

setup:
	@tools/setup.sh

# UNIT=hartsop-u90, say, opens a book with that unit of the examples on the simulated bench that fits it.
demo: setup
	@$(PY) tools/demo.py $(if $(UNIT),--unit $(UNIT))

demo-book: setup
	@$(PY) tools/demo_book.py build/hollin-bank.zbook --ship

test: setup
	$(PY) -m pytest

test-long: setup
	$(PY) -m pytest -m long -s --dist worksteal

# Full sweeps of seeds, half an hour; test-long samples them. What they counted is printed at the end and stands in
# docs/validation.md.
test-seeds: setup
	ZINCSMITH_SEEDS=4000 ZINCSMITH_BENCHES=240 ZINCSMITH_KINDS=100 $(PY) -m pytest -m long -rP -n 2 --dist loadfile \
		tests/reference/test_four_hundred_seeds.py tests/reference/test_sixty_benches.py \
		tests/reference/test_waveform_seeds.py tests/reference/test_kind_seeds.py tests/several/test_every_kind.py

lint: setup
	$(PY) -m ruff check .
	$(PY) -m ruff format --check .
	$(PY) -m mypy
	.venv/bin/lint-imports

format: setup
	$(PY) -m ruff check --fix .
	$(PY) -m ruff format .

bench: setup
	$(PY) tools/bench.py

screenshots: setup
	$(PY) tools/screenshots.py docs/screenshots

# Menu entry, icons, type of a book, man page, completion, for the user alone; PREFIX=/usr/local for everybody.
install-desktop: setup
	@.venv/bin/zincsmith desktop install $(if $(PREFIX),--prefix $(PREFIX))

clean:
	rm -rf build .venv
