.DEFAULT_GOAL := help
PYTHON := .venv/bin/python
export PYTHONUNBUFFERED := 1

.PHONY: help setup build wheel demo reset test coverage soak lint bench bench-coverage bench-refits bench-claims bench-false-alarms bench-planted bench-new-rows screenshots docs verify clean

help: ## list the commands
	@grep -E '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | sed 's/:.*## /\t/' | expand -t 17

setup: ## install what is missing: Debian packages, Python packages, front-end packages
	@scripts/setup services

build: setup ## build the front end
	@scripts/build

wheel: setup ## build dist/brookfall-*.whl, the pages inside
	@scripts/wheel

demo: build ## set up everything and start the demo; prints the address and the sign-ins
	@$(PYTHON) -m brookfall.launch demo

reset: setup ## take the demo's data away, so that the next start makes it new
	@$(PYTHON) -m brookfall.launch reset

test: ## set up everything and pass all tests
	@scripts/setup services browser
	@scripts/build
	@cd web && npm run --silent test
	@scripts/test

coverage: ## pass all tests once more, and count the lines that they run
	@scripts/setup services browser
	@scripts/build
	@COUNTED=1 scripts/test

soak: ## try for an hour what make test tries for seconds: made-up files and requests, deaths of workers
	@scripts/setup services
	@scripts/soak

lint: setup ## ruff, mypy strict, import-linter, TypeScript strict, ESLint, Prettier, formats fresh
	@scripts/lint

bench: setup ## measure speed, as ratios in one run; writes docs/benchmarks*.md
	@$(PYTHON) -m benchmarks.core
	@$(PYTHON) -m benchmarks.plans
	@$(PYTHON) -m benchmarks.intake
	@$(PYTHON) -m benchmarks.memory
	@$(PYTHON) -m benchmarks.fairness
	@$(PYTHON) -m benchmarks.users
	@$(PYTHON) -m benchmarks.full_house
	@$(PYTHON) -m benchmarks.first_answers

bench-coverage: setup ## simulate how often every interval holds the truth; writes docs/coverage.md
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(PYTHON) -m benchmarks.coverage

bench-refits: setup ## simulate intervals over folds with recipes fitted anew; writes docs/coverage-refits.md
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(PYTHON) -m benchmarks.refits

bench-claims: setup ## simulate honest claims and claims that are too high; writes docs/benchmarks-claims.md
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(PYTHON) -m benchmarks.claims

bench-false-alarms: setup ## simulate how often a sound model is called outside a limit; writes docs/false-alarms.md
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(PYTHON) -m benchmarks.false_alarms

bench-planted: setup ## simulate how often planted faults are found, and said of sound data; writes docs/planted-faults.md
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(PYTHON) -m benchmarks.planted_faults

bench-new-rows: setup ## simulate sets and intervals of new rows, time a million of them; writes docs/coverage-new-rows.md and docs/benchmarks-new-rows.md
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(PYTHON) -m benchmarks.new_row_sets
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(PYTHON) -m benchmarks.new_rows

screenshots: ## make docs/screenshots anew from the demo data
	@scripts/setup services browser
	@scripts/build
	@$(PYTHON) -m scripts.screenshots

docs: setup ## write docs/formats, the front end's API types and docs/answers.md from the code itself
	@$(PYTHON) -m brookfall.api.describe
	@OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 $(PYTHON) -m tests.core.answers
	@cd web && npm run --silent types

verify: setup ## verify the chain of the demo's record (the demo must be running)
	@$(PYTHON) -m brookfall.launch verify

clean: ## remove what was built
	@rm -rf web/dist web/node_modules .venv
