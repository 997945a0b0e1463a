# make demo and make test are all one needs; each sets up what is missing, once.
# make PYTHON=python3.13 … keeps an environment of its own beside the usual one, which tools/python chooses for.
USUAL := $(shell tools/python)
PYTHON ?= $(USUAL)
VENV := $(if $(filter $(USUAL),$(PYTHON)),.venv,.venv-$(shell "$(PYTHON)" -c 'import sys; print("%d.%d" % sys.version_info[:2])'))
BIN := $(VENV)/bin

.PHONY: demo demo-shop test smoke example bench screenshots check audit lock clean

demo: $(VENV)/.ready
	@$(BIN)/brisk-anchor demo

demo-shop: $(VENV)/.ready
	@tools/need tmux
	@BIN=$(BIN) tools/demo-shop

example: $(VENV)/.ready
	@$(BIN)/brisk-anchor example --out example-out

test: $(VENV)/.ready-tests
	@tools/need tmux
	@[ -z "$$BRISK_ANCHOR_TEST_PG" ] || command -v initdb >/dev/null || ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 \
		|| tools/need "" postgresql
	@BIN=$(BIN) tools/check

# A small part of the tests: does it run at all with another Python?
smoke: $(VENV)/.ready-tests
	@$(BIN)/pytest tests/test_book.py tests/test_line.py tests/test_cli.py tests/tui/test_pilot.py -k "not hypothesis"

bench: $(VENV)/.ready-tests
	@$(BIN)/python -m benchmarks

screenshots: $(VENV)/.ready-tests
	@tools/screenshots

$(VENV)/.ready: requirements.lock pyproject.toml
	@tools/venv "$(PYTHON)" $(VENV) requirements.lock
	@touch $@

$(VENV)/.ready-tests: $(VENV)/.ready requirements-test.lock
	@tools/venv "$(PYTHON)" $(VENV) requirements-test.lock
	@touch $@

audit:
	@tools/audit "$(PYTHON)"

lock:
	@tools/lock "$(PYTHON)"

clean:
	rm -rf .venv .venv-* example-out .pytest_cache .mypy_cache .ruff_cache .import_linter_cache .hypothesis
