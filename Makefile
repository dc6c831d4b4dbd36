# make setup, demo, test, bench, lint. Each does first what it depends on; doing it again costs nothing.
SHELL := /bin/bash
# Where this is set, every process of ours compiles all of its modules anew.
unexport PYTHONDONTWRITEBYTECODE
# What installs does not wait for what builds.
MAKEFLAGS += --jobs=2
export PRUXEL_DATA_FOLDER ?= $(CURDIR)/.data
PY := .venv/bin/python
STAMPS := .venv/stamps

.PHONY: setup demo sample page-tests tests-read test bench fuzz soak lint types clean

setup: $(STAMPS)/system $(STAMPS)/python $(STAMPS)/web $(STAMPS)/kernels

$(STAMPS)/system: tools/system-packages
	@mkdir -p $(STAMPS)
	bash tools/system-packages
	@touch $@

.venv/bin/python:
	python3 -m venv .venv

$(STAMPS)/python: requirements.lock pyproject.toml .venv/bin/python
	@mkdir -p $(STAMPS)
	$(PY) -m pip install --quiet --disable-pip-version-check --no-compile --require-hashes -r requirements.lock
	$(PY) -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

web/node_modules/.package-lock.json: web/package-lock.json web/package.json
	cd web && npm ci --no-audit --no-fund --loglevel=error

$(STAMPS)/web: web/node_modules/.package-lock.json docs/openapi.json web/index.html web/vite.config.ts web/vite.judge.config.ts $(shell find web/src web/judge -type f)
	@mkdir -p $(STAMPS)
	cd web && npm run --silent types && npm run --silent build
	@touch $@

$(STAMPS)/kernels: $(STAMPS)/python $(shell grep -rl "numba.njit" src --include=*.py)
	$(PY) -m pruxel.core.native.warm
	@touch $@

demo: setup
	@$(PY) -m pruxel.server.demo

# All tests want the made-up game; made once, before, it is made by none of them. What little it compiles it compiles
# itself, beside all else that is compiled.
sample: $(STAMPS)/python
	$(PY) -m pruxel.sample $(PRUXEL_DATA_FOLDER)

page-tests: $(STAMPS)/web
	cd web && npm run --silent test

# Compiles the tests, and what they alone import: begun at once, four processes would each do so.
tests-read: $(STAMPS)/system $(STAMPS)/kernels
	$(PY) -m pytest tests --collect-only -qq > /dev/null

test: setup sample page-tests tests-read
	bash tools/run-tests

bench: setup
	ldconfig -p | grep -q libassimp.so.5 || bash tools/system-packages libassimp5
	$(PY) -m pip install --quiet --disable-pip-version-check --no-deps --require-hashes -r bench/requirements.lock
	$(PY) -m bench

# Changed inputs for every reader; FUZZ='--seconds 0' never ends. What it finds lies in .fuzz.
fuzz: setup
	$(PY) -m fuzz $(FUZZ)

# An hour of mixed use with kills and full disks; SOAK='--minutes 5' is shorter.
soak: setup
	$(PY) -m soak $(SOAK)

lint: setup
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	cd web && npm run --silent check

types: $(STAMPS)/python
	$(PY) -m pruxel openapi docs/openapi.json
	cd web && npm run --silent types

clean:
	rm -rf .venv web/node_modules web/dist src/pruxel/server/web src/pruxel/core/native/node_programs .pytest_cache .mypy_cache .ruff_cache
