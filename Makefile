# Each target sets up what it needs by itself: the virtual environment and, where root or sudo allows,
# the system libraries that Qt needs.
PYTHON ?= python3
VENV := .venv
PY := $(VENV)/bin/python
PIP_INSTALL := $(PY) -m pip install --quiet --disable-pip-version-check --require-hashes --no-deps --only-binary :all:

.PHONY: soak fuzz demo run test check screenshots bench lock clean

demo: $(VENV)/runtime.done
	@sh scripts/system_libraries.sh window
	$(PY) -m olive_almanac demo

run: $(VENV)/runtime.done
	@sh scripts/system_libraries.sh window
	$(PY) -m olive_almanac

test: $(VENV)/test.done
	@sh scripts/system_libraries.sh tests
	$(PY) run_tests.py

check: $(VENV)/test.done
	$(PY) -m ruff format --check --quiet .
	$(PY) -m ruff check .
	$(PY) -m mypy
	$(PY) run_tests.py tests/rules
	$(PY) -m bench.house

screenshots: $(VENV)/test.done
	@sh scripts/system_libraries.sh tests
	$(PY) scripts/screenshots.py docs/screenshots

soak: $(VENV)/test.done
	@sh scripts/system_libraries.sh tests
	$(PY) -m bench.soak

fuzz: $(VENV)/test.done
	@$(PIP_INSTALL) -r requirements/fuzz.txt
	$(PY) -m bench.guided

bench: $(VENV)/test.done
	@sh scripts/system_libraries.sh tests
	$(PY) -m bench

$(VENV)/made:
	@sh scripts/make_venv.sh "$(PYTHON)" $(VENV)
	@touch $@

$(VENV)/runtime.done: $(VENV)/made requirements/runtime.txt
	@echo "Installing the libraries the program needs (about 2 minutes the first time) ..."
	@$(PIP_INSTALL) -r requirements/runtime.txt
	@touch $@

$(VENV)/test.done: $(VENV)/runtime.done requirements/test.txt
	@$(PIP_INSTALL) -r requirements/test.txt
	@touch $@

# For a maintainer, with uv at hand: writes both lock files anew.
lock:
	cd requirements && for name in runtime test; do \
	  uv pip compile --quiet --generate-hashes --python-version 3.11 --no-header --no-annotate $$name.in -o $$name.txt || exit 1; \
	done

clean:
	rm -rf $(VENV) build
