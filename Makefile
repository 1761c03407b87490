# Two commands do everything: `make demo` and `make test`.
PY := .venv/bin/python
export JUSTBITE_DATA ?= $(CURDIR)/data
# Where a container forbids compiled modules every process would compile all it imports anew: 5 s each.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: setup demo test bench lint web format shots clean

setup: .libraries-ready .venv/.ready .venv/.kernels web/dist/.ready .browser-ready

.venv/.ready: requirements.lock pyproject.toml
	test -x $(PY) || python3 -m venv .venv
	$(PY) -m pip install --quiet uv==0.13.9
	.venv/bin/uv pip sync --quiet --python $(PY) requirements.lock
	.venv/bin/uv pip install --quiet --python $(PY) --no-deps -e .
	touch $@

# A compiled kernel is kept until its own file changes: what it calls in other files it would have as it was.
.venv/.kernels: .venv/.ready $(wildcard justbite/*/*.py)
	rm -f justbite/*/__pycache__/*.nb?
	touch $@

web/node_modules/.ready: web/package-lock.json
	@command -v npm >/dev/null || { echo "Node.js 20 or newer with npm is needed."; exit 1; }
	cd web && npm ci --silent
	touch $@

web/src/api/schema.d.ts: $(wildcard server/*.py server/core/*.py justbite/model/*.py) .venv/.ready web/node_modules/.ready
	$(PY) manage.py export_openapi_schema --api server.api.api --sorted --output web/openapi.json
	cd web && npm run --silent types
	touch $@

web/dist/.ready: web/node_modules/.ready web/src/api/schema.d.ts $(shell find web/src web/public web/index.html web/vite.config.ts -type f 2>/dev/null)
	cd web && npm run --silent build
	touch $@

web: web/dist/.ready

# What the STEP kernel's wheel needs of the system, even without a screen.
.libraries-ready:
	@{ ldconfig -p | grep -q libGL.so.1 && ldconfig -p | grep -q libX11.so.6 && ldconfig -p | grep -q libexpat.so.1; } \
	  || { apt-get update -qq && apt-get install -y -qq libgl1 libx11-6 libexpat1 >/dev/null; } \
	  || { echo "The packages libgl1, libx11-6 and libexpat1 could not be installed."; exit 1; }
	@touch $@

# Chromium is only needed by the browser tests and the screenshots.
.browser-ready:
	@test -x /usr/bin/chromium || { apt-get update -qq && apt-get install -y -qq chromium >/dev/null; } \
	  || { echo "Chromium could not be installed; install Debian's package chromium."; exit 1; }
	@touch $@

demo: setup
	$(PY) manage.py migrate --verbosity 0
	$(PY) manage.py load_demo
	$(PY) manage.py serve

lint: setup
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy justbite server tests
	.venv/bin/lint-imports --no-cache
	cd web && npm run --silent check
	cd web && npm run --silent lint

# The core's tests run on all cores; those of the server and the browser share files. Forks need a process that may have
# some and has no other thread (they are skipped in the first run, and a browser's driver may leave one). A run that
# hangs is ended and tells where each of its threads was.
WATCHED = PYTHONFAULTHANDLER=1 timeout --foreground --signal=ABRT 40m
test: lint
	$(WATCHED) $(PY) manage.py test tests.core --parallel auto
	$(WATCHED) $(PY) manage.py test tests.core.test_together
	JUSTBITE_DATA=$$(mktemp -d) DJANGO_ALLOW_ASYNC_UNSAFE=1 $(WATCHED) $(PY) manage.py test tests.server tests.browser

bench: setup
	$(PY) -m justbite.cli bench

format: setup
	.venv/bin/ruff check --fix .
	.venv/bin/ruff format .
	cd web && npm run --silent format

shots: setup
	$(PY) docs/take_screenshots.py

clean:
	rm -rf .venv web/node_modules web/dist .browser-ready .libraries-ready data
