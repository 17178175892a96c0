# Everything a tester or a developer types. Each target sets up what it needs.
PY := .venv/bin/python
export PIP_DISABLE_PIP_VERSION_CHECK = 1
# Many tests start the application anew: what is compiled once is kept, whatever the shell says.
export PYTHONDONTWRITEBYTECODE =

.PHONY: demo setup dev test quick lint mutants regression practice demo-logbook notices deb notebook man chaos bench screenshots schema priors wheel install clean

demo: setup
	@scripts/need-display.sh && exec .venv/bin/fairmargin demo

setup:
	@scripts/setup.sh app

dev:
	@scripts/setup.sh dev

# Two workers, each with one thread for linear algebra: more only get in each other's way on small matrices.
test: lint
	OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 QT_QPA_PLATFORM=offscreen $(PY) -m pytest -q -n 2 --dist worksteal

# The everyday loop, under a minute: lint, the core, one job in the window.
quick: lint
	OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 QT_QPA_PLATFORM=offscreen $(PY) -m pytest -q -n 2 --dist worksteal tests/core/laws tests/core/conditions tests/core/study tests/core/test_units.py tests/core/inference tests/core/test_leg_drive.py tests/core/test_companion.py tests/jobs/test_job01*.py tests/test_docs.py

lint: dev
	$(PY) -m ruff check src tests benchmarks scripts
	$(PY) -m ruff format --check src tests benchmarks scripts
	$(PY) -m mypy
	.venv/bin/lint-imports

# SEED=… takes those of another run again; ALL=1 tries every one that is written down.
mutants: dev
	$(PY) tests/mutants.py

regression: dev
	$(PY) tests/regression/data.py "$(WHY)"

practice: dev
	$(PY) scripts/build_practice.py

demo-logbook: dev
	$(PY) scripts/build_demo.py

notices: dev
	$(PY) scripts/write_notices.py

# A Debian package of the wheel and everything pinned, for the Python of the machine it is built on.
deb: wheel
	scripts/build_deb.sh

notebook: dev
	$(PY) scripts/write_notebook.py

man: dev
	$(PY) scripts/build_man.py

chaos: dev
	CHAOS_DAYS=200 PAGES=40 QT_QPA_PLATFORM=offscreen $(PY) -m pytest -q -n 2 tests/desktop/test_chaos.py tests/desktop/test_read_pages.py

bench: dev
	QT_QPA_PLATFORM=offscreen $(PY) benchmarks/run.py

screenshots: dev
	QT_QPA_PLATFORM=offscreen $(PY) scripts/screenshots.py docs/screenshots

priors: dev
	$(PY) scripts/write_priors.py

schema: dev
	$(PY) scripts/write_schema.py

wheel: dev
	$(PY) -m build --no-isolation

install: setup
	.venv/bin/fairmargin install-desktop

clean:
	rm -rf .venv dist build
