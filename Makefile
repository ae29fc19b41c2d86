# make demo and make test need nothing but Python 3.11 or newer, Node 20 or newer, and make.
PORT ?= 8642
# Tests of pages wait half of their time, so three keep two cores busy.
WORKERS ?= 3
BIN := .venv/bin
# Compiled modules are kept: every test that starts the command anew would compile them anew.
export PYTHONDONTWRITEBYTECODE :=
PY_SOURCES := $(shell find src -name '*.py' -not -path '*/__pycache__/*')
KERNEL_SOURCES := $(wildcard src/obsidian_wren/core/chain/*.py src/obsidian_wren/core/mix/*.py src/obsidian_wren/core/measure/*.py) src/obsidian_wren/core/decibels.py src/obsidian_wren/core/derive/compressor.py src/obsidian_wren/core/kernel.py scripts/compile_kernels.py
FRONT_SOURCES := $(shell find frontend/src frontend/index.html frontend/vite.config.ts frontend/words.js frontend/build.js frontend/build-help.js frontend/help-pages.json docs/*.md docs/*/*.md src/obsidian_wren/languages/*.po -type f 2>/dev/null)

.PHONY: demo test test-wide try-real wheel try-wheel deb try-deb bench shots examples sentences language lint lint-python lint-page test-page test-program test-real-time checks set-up python page kernels types schema clean

demo:
	$(MAKE) --no-print-directory --jobs=3 set-up
	$(BIN)/obsidian-wren demo --port $(PORT)

set-up: python page kernels

python: .setup-python
.setup-python: pyproject.toml scripts/make-venv
	scripts/make-venv $(EXTRAS)
	touch $@

page: .setup-page
.setup-page: $(FRONT_SOURCES) frontend/package-lock.json
	cd frontend && npm ci --no-progress && npm run --silent build
	touch $@

# Compiled into libraries, so that nothing that compiles is loaded when the program runs; without a C
# compiler by doing the job once.
kernels: .setup-kernels
.setup-kernels: .setup-python $(KERNEL_SOURCES)
	find src -name '*.nb[ci]' -delete
	-$(BIN)/python scripts/compile_kernels.py
	[ -f src/obsidian_wren/core/compiled/note.py ] || $(BIN)/obsidian-wren demo --prepare
	touch $@

.setup-chromium: scripts/need-chromium
	scripts/need-chromium
	touch $@

# One after the other: two that install at once shut each other out.
.setup-sound-server: scripts/need-sound-server | .setup-chromium
	scripts/need-sound-server
	touch $@

# After the kernels, since the program must not be installed anew while it runs. What runs the tests from nothing has it installed at once.
.setup-test: .setup-python .setup-kernels .setup-chromium .setup-sound-server pyproject.toml
	[ .venv/has-test -nt pyproject.toml ] || scripts/make-venv test
	touch $@

# Tests in real time wait for most of theirs, and give way to nothing: what only computes is done
# beside them.
test:
	$(MAKE) --no-print-directory --jobs=3 EXTRAS=test set-up .setup-test
	$(MAKE) --no-print-directory --jobs=2 test-real-time checks
	$(MAKE) --no-print-directory test-program

test-program: set-up .setup-test
	$(BIN)/python -m pytest -n $(WORKERS) --dist worksteal -m "not real_time and not wide"

test-real-time: set-up .setup-test
	$(BIN)/python -m pytest -n 2 --dist worksteal -m "real_time and not wide" tests/devices

checks: set-up .setup-test
	nice $(MAKE) --no-print-directory lint test-page

# Further cases and ways, beside make test: before something is handed on.
test-wide: EXTRAS = test
test-wide: set-up .setup-test
	$(BIN)/python -m pytest -n $(WORKERS) --dist worksteal -m wide

lint: lint-python lint-page

lint-python: .setup-test
	$(BIN)/ruff check src tests bench scripts
	$(BIN)/ruff format --check src tests bench scripts
	$(BIN)/mypy
	cd tests && ../$(BIN)/mypy --config-file mypy.ini .
	$(BIN)/lint-imports

lint-page: set-up .setup-test .setup-types
	cd frontend && npm run --silent check && npm run --silent lint

test-page: .setup-page
	cd frontend && npm run --silent test

# What the page knows of the answers, from the code that makes them: never older, so never kept.
types: .setup-types
.setup-types: .setup-python .setup-page $(PY_SOURCES) scripts/write_openapi.py
	$(BIN)/python scripts/write_openapi.py
	cd frontend && npm run --silent types >/dev/null
	touch $@

schema: .setup-python
	$(BIN)/python scripts/write_schema.py

sentences: .setup-test
	$(BIN)/python scripts/write_catalogue.py

# A catalogue among the languages, and the pages built with it: make language CATALOGUE=nl.po
language:
	cp $(CATALOGUE) src/obsidian_wren/languages/
	$(MAKE) --no-print-directory page

# What empty views show, from the demo.
examples: set-up .setup-test
	$(BIN)/python scripts/write_examples.py

# One file to install, with the kernels that were compiled here.
wheel: set-up
	$(BIN)/pip install --quiet build
	$(BIN)/python -m build --wheel

# The same, in an environment that holds nothing else.
try-wheel: EXTRAS = test
try-wheel: set-up .setup-test
	$(BIN)/python scripts/try_wheel.py

# For people who have no Python: one Debian package with all that it stands on; tried as somebody who cannot write where it lies.
deb: set-up
	$(BIN)/pip install --quiet build
	$(BIN)/python scripts/build_deb.py

try-deb: EXTRAS = test
try-deb: set-up .setup-test
	$(BIN)/python scripts/try_deb.py

bench: set-up .setup-test
	$(BIN)/pip install --quiet -e '.[bench,test]'
	$(BIN)/python bench/report.py

# Real sound on a machine without a sound card: a private server, a microphone that talks, a browser that listens.
try-real: EXTRAS = test
try-real: set-up .setup-test
	$(BIN)/python scripts/try_real.py

shots: set-up .setup-test
	$(BIN)/python scripts/shots.py
	$(BIN)/python scripts/try_real.py --shots docs/screenshots

clean:
	rm -rf .venv .setup-* frontend/node_modules src/obsidian_wren/web/static src/obsidian_wren/web/static-* demo-data
