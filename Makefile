.PHONY: setup demo dev test lint bench screenshots types
PY := .venv/bin/python

setup:
	@bash scripts/setup.sh

demo: setup
	@$(PY) -m scripts.serve --demo

dev: setup
	@$(PY) -m scripts.serve --demo --dev

test: setup
	@$(PY) -m scripts.run_tests

lint: setup
	@bash scripts/lint.sh

bench: setup
	@$(PY) -m scripts.bench

screenshots: setup
	@$(PY) -m scripts.screenshots

types: setup
	@$(PY) -m scripts.openapi && cd web && npm run --silent types
