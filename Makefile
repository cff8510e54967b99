PY ?= python3.11
.DEFAULT_GOAL := help

help: ## this list
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*## /\t/' | expand -t 12

setup: ## install what is missing, compile the kernels
	@$(PY) scripts/house.py setup

demo: ## everything up, with the demo place; Ctrl-C stops it (PORT=8000 to choose the port)
	@$(PY) scripts/house.py demo

test: ## all tests (ARGS="-k name" for some)
	@$(PY) scripts/house.py test $(ARGS)

bench: ## measure; var/bench.json (ONLY=name for one)
	@$(PY) scripts/house.py bench $(if $(ONLY),--only $(ONLY))

shots: ## make docs/screenshots anew from the demo (ONLY=name for one)
	@$(PY) scripts/house.py shots $(ONLY)

stills: ## make the fine pictures of docs/screenshots/ anew, about ten minutes (ONLY=name for one)
	@$(PY) scripts/house.py stills $(ONLY)

lint: ## ruff, mypy, import rules, templates, built assets
	@.venv/bin/ruff check .
	@.venv/bin/mypy lumwick
	@.venv/bin/lint-imports
	@.venv/bin/djlint --lint --quiet studio/templates
	@$(MAKE) --no-print-directory assets-check

assets: ## build styles and copy scripts and fonts (needs Node)
	@cd frontend && npm ci --silent --ignore-scripts && sh build.sh

assets-check: ## build the assets elsewhere and compare with what is committed (needs Node)
	@cd frontend && npm ci --silent --ignore-scripts && rm -rf ../var/assets && sh build.sh ../var/assets >/dev/null 2>&1
	@diff -r -x parts.js -x place.js -x timeline.js -x route.js -x cut.js -x compare.js -x curves.js var/assets studio/static && echo "the committed assets are what the sources build"

pins: ## pin requirements.txt anew
	@.venv/bin/python -m pip install -q pip-tools && .venv/bin/pip-compile -q --no-header --generate-hashes --no-emit-index-url --no-emit-find-links --no-emit-trusted-host --strip-extras --allow-unsafe -o requirements.txt requirements.in

clean: ## stop the database and remove var/ (places and takes too)
	@-$(PY) scripts/house.py stop
	@rm -rf var

.PHONY: help setup demo test bench shots stills lint assets assets-check pins clean
