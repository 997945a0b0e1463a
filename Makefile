# make demo and make test are all one needs; each sets up what is missing, once.
PYTHON ?= $(shell command -v python3.11 || command -v python3)
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test example bench screenshots check lock clean

demo: $(VENV)/.ready
	@$(BIN)/brisk-anchor demo

example: $(VENV)/.ready
	@$(BIN)/brisk-anchor example --out example-out

test: $(VENV)/.ready-tests
	@tools/need tmux
	@tools/check

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

lock:
	@tools/lock "$(PYTHON)"

clean:
	rm -rf $(VENV) example-out .pytest_cache .mypy_cache .ruff_cache .import_linter_cache .hypothesis
