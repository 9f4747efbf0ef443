# `make demo` and `make test` do everything on a fresh Debian 12; the rest is for people who work on it.

VENV := .venv
PY := $(VENV)/bin/python
CONSOLE := src/kiteroll/service/console_dist/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/package-lock.json

.PHONY: demo test check console generated bench screenshots clean

demo: $(VENV)/ready $(CONSOLE)
	$(VENV)/bin/kiteroll demo $(DEMO)

test: export PYTHONDONTWRITEBYTECODE = 1
test: $(VENV)/ready-test $(CONSOLE)
	cd console && npm test --silent
	$(PY) -m pytest $(PYTEST)

check: $(VENV)/ready console/node_modules/.ready
	$(VENV)/bin/ruff check src tests bench scripts
	$(VENV)/bin/ruff format --check src tests bench scripts
	$(VENV)/bin/mypy
	$(PY) scripts/generated.py --check
	cd console && npm run --silent check

console: $(CONSOLE)

generated: $(VENV)/ready console/node_modules/.ready
	$(PY) scripts/generated.py
	cd console && npm run --silent types

bench: $(VENV)/ready-test
	$(PY) -m bench

screenshots: $(VENV)/ready-test $(CONSOLE)
	scripts/setup shots
	$(PY) scripts/screenshots.py

clean:
	rm -rf $(VENV) var console/node_modules src/kiteroll/service/console_dist

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
