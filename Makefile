# Each target sets up what it needs by itself: the virtual environment and, where root or sudo allows,
# the system libraries that Qt needs.
PYTHON ?= python3
VENV := .venv
PY := $(VENV)/bin/python
PIP_INSTALL := $(PY) -m pip install --quiet --disable-pip-version-check --require-hashes --no-deps --only-binary :all:

.PHONY: words study deb try-deb wheel pages soak fuzz demo run test check screenshots bench lock clean

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

# The Debian package and the wheel, into build/.
deb: $(VENV)/package.done
	@sh scripts/system_libraries.sh package
	$(PY) scripts/make_deb.py build

# The long study of photos: twice as many as make bench takes.
study: $(VENV)/test.done
	@sh scripts/system_libraries.sh tests
	OLIVE_BENCH_PHOTOS=208 $(PY) -m bench photos

# As root on Debian: installs the package in a bare Debian folder and works with it there.
SUITE ?= bookworm
try-deb: deb
	sh scripts/try_deb.sh build/olive-almanac_*.deb $(SUITE) build/bare

wheel: $(VENV)/package.done
	$(PY) -m build --no-isolation --wheel --outdir build

# Brings the catalogues of words up to date; what is not translated is said.
words: $(VENV)/test.done
	$(PY) scripts/words.py

# What is written from the program itself: docs/commands.md, and keys and symptoms of the guide.
pages: $(VENV)/runtime.done
	$(PY) scripts/command_pages.py
	$(PY) scripts/guide_pages.py
	OLIVE_ALMANAC_LANGUAGE=de $(PY) scripts/guide_pages.py

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

$(VENV)/package.done: $(VENV)/runtime.done requirements/package.txt
	@$(PIP_INSTALL) -r requirements/package.txt
	@touch $@

# For a maintainer, with uv at hand: writes both lock files anew.
lock:
	cd requirements && for name in runtime test package; do \
	  uv pip compile --quiet --generate-hashes --python-version 3.11 --no-header --no-annotate $$name.in -o $$name.txt || exit 1; \
	done

clean:
	rm -rf $(VENV) build
