# `make demo` and `make test` do everything on a fresh Debian 12; the rest is for people who work on it.
# `make test` is the whole gate, as continuous integration runs it; `make check` is its quick part:
# ruff, mypy, tsc, biome, and generated files. scripts/check has the commands.

VENV := .venv
PY := $(VENV)/bin/python
CONSOLE := src/kiteroll/api/console_dist/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/package-lock.json
# Much of a test is waiting for a service, so that four at a time are done sooner, also on two cores. Files stay
# whole and in order: those with a browser come last, whose loop goes on in its process.
AT_ONCE := -n 4 --dist loadfile --no-loadscope-reorder --max-worker-restart 0

.PHONY: demo test coverage check console generated bench cluster chaos torture deb wheels screenshots clean

demo: $(VENV)/ready $(CONSOLE)
	$(VENV)/bin/kiteroll demo $(DEMO)

# Hundreds of processes are started: they are not to compile the same sources, wherever that is switched off.
test: export PYTHONDONTWRITEBYTECODE =
test: check $(VENV)/ready-test $(CONSOLE)
	cd console && npm test --silent
	$(PY) -m pytest $(AT_ONCE) $(PYTEST)

coverage: $(VENV)/ready-test $(CONSOLE)
	$(PY) -m pytest --cov $(AT_ONCE) $(PYTEST)

check: $(VENV)/ready console/node_modules/.ready
	scripts/check

console: $(CONSOLE)

generated: $(VENV)/ready console/node_modules/.ready
	$(PY) -m scripts.generated
	cd console && npm run --silent types

cluster: $(VENV)/ready-test $(CONSOLE)
	$(PY) -m scripts.cluster $(CLUSTER)

chaos: $(VENV)/ready-test $(CONSOLE)
	$(PY) -m scripts.cluster --chaos 900 $(CHAOS)

torture: $(VENV)/ready-test
	$(PY) -m tests.torture $(TORTURE)

bench: $(VENV)/ready-test
	$(PY) -m bench

deb: $(VENV)/ready $(CONSOLE)
	$(PY) -m scripts.make_deb

wheels: $(VENV)/ready $(CONSOLE)
	$(PY) -m scripts.make_wheels

screenshots: $(VENV)/ready-test $(CONSOLE)
	scripts/setup shots
	$(PY) scripts/screenshots.py

clean:
	rm -rf $(VENV) var dist console/node_modules src/kiteroll/api/console_dist

$(VENV)/ready: pyproject.toml requirements.lock scripts/setup
	scripts/setup run
	@touch $@

$(VENV)/ready-test: $(VENV)/ready
	scripts/setup test
	@touch $@

console/node_modules/.ready: console/package-lock.json
	scripts/setup node
	cd console && npm ci
	@touch $@

$(CONSOLE): console/node_modules/.ready $(CONSOLE_SOURCES)
	cd console && npm run --silent build
