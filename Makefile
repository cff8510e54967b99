PY ?= python3.11
.DEFAULT_GOAL := help

help: ## this list
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*## /\t/' | expand -t 12

setup: ## install what is missing, compile the kernels (5 to 10 min the first time)
	@$(PY) -m scripts.dev setup

demo: ## everything up, with the demo place; Ctrl-C stops it (after setup 10 s; PORT=8000 to choose the port)
	@$(PY) -m scripts.dev demo

dev: ## as demo, for development: code, templates and styles reload within 2 s, debug pages (Ctrl-C stops it)
	@$(PY) -m scripts.dev dev

check: ## lint and the tests that your changes touch (under a minute)
	@$(PY) -m scripts.dev check

test: ## lint, then all tests (20 to 40 min; ARGS="-k name" for some, without the lint)
	@$(PY) -m scripts.dev test $(ARGS)

bench: ## measure (over an hour); var/bench.json (ONLY=name for one)
	@$(PY) -m scripts.dev bench $(if $(ONLY),--only $(ONLY))

shots: ## make docs/screenshots anew from the demo (10 to 20 min; ONLY=name for one)
	@$(PY) -m scripts.dev shots $(ONLY)

stills: ## make the fine pictures of docs/screenshots/ anew, about ten minutes (ONLY=name for one)
	@$(PY) -m scripts.dev stills $(ONLY)

lint: ## formatters, ruff, mypy, import rules, templates; scripts and built assets where Node is (about a minute)
	@$(PY) -m scripts.dev lint

assets: ## build styles and copy scripts and fonts (needs Node)
	@cd frontend && npm ci --silent --ignore-scripts && sh build.sh

PIN = .venv/bin/pip-compile -q --no-header --generate-hashes --no-emit-index-url --no-emit-find-links --no-emit-trusted-host --strip-extras --allow-unsafe --build-deps-for editable
pins: ## pin the requirements of pyproject.toml anew: the core, the studio, development
	@$(PIN) -o requirements/core.txt pyproject.toml
	@$(PIN) --extra studio -o requirements/studio.txt pyproject.toml
	@$(PIN) --extra studio --extra dev -o requirements/dev.txt pyproject.toml

clean: ## stop the database and remove var/ (places and takes too)
	@-$(PY) -m scripts.dev stop
	@rm -rf var

.PHONY: help setup demo test bench shots stills lint assets pins clean
