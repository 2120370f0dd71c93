# Two commands do everything on a fresh Debian or Ubuntu machine with Python 3.11+:
#   make demo   the application with the demo job "Slipway"
#   make test   lint, types, import contracts and all tests
# make fuzz: 2000 damaged and hostile files for every reader; make test has a hundred of each.
.PHONY: fuzz demo test setup setup-test screenshots schemas bench lock clean
VENV := .venv/bin

demo: setup
	$(VENV)/vast-cellar --demo

test: setup-test
	$(VENV)/ruff format --check .
	$(VENV)/ruff check .
	$(VENV)/mypy
	$(VENV)/lint-imports
	$(VENV)/python tools/schemas --check
	@tools/tests
	$(VENV)/python tools/test-share

fuzz: setup-test
	FUZZ_CASES=2000 $(VENV)/pytest tests/fuzz

setup:
	@tools/setup run

setup-test: setup
	@tools/setup test

screenshots: setup-test
	$(VENV)/python tools/screenshot

schemas: setup
	$(VENV)/python tools/schemas

bench: setup-test
	$(VENV)/python benchmarks/first_window.py
	$(VENV)/python benchmarks/plan_days.py
	$(VENV)/python benchmarks/profiles.py
	$(VENV)/python benchmarks/roll_day.py
	$(VENV)/python benchmarks/edit_play.py
	$(VENV)/python benchmarks/changes.py
	$(VENV)/python benchmarks/large_cellar.py
	$(VENV)/python benchmarks/packing.py
	$(VENV)/python benchmarks/candidates.py
	$(VENV)/python benchmarks/diagnosis.py
	$(VENV)/python benchmarks/calibration.py
	$(VENV)/python benchmarks/disk.py
	$(VENV)/python benchmarks/window_gap.py
# benchmarks/copying.py needs root and a folder on each of three disks: see its head.

lock:
	tools/lock

clean:
	rm -rf .venv build dist .mypy_cache .ruff_cache .pytest_cache .import_linter_cache
