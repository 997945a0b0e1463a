"""The examples in docstrings, wherever they stand, say what the functions do."""

from __future__ import annotations

import doctest
import importlib
from pathlib import Path

import pytest

SOURCES = Path(__file__).parent.parent / "src"
MODULES = sorted(
    ".".join(path.relative_to(SOURCES).with_suffix("").parts)
    for path in SOURCES.rglob("*.py")
    if ">>> " in path.read_text(encoding="utf-8")
)


@pytest.mark.parametrize("name", MODULES)
def test_examples_of_docstrings_are_right(name):
    result = doctest.testmod(importlib.import_module(name), raise_on_error=False)
    assert result.attempted
    assert not result.failed


def test_they_are_looked_for_in_every_room():
    assert {"brisk_anchor.core.numbers", "brisk_anchor.nc.programs.program"} <= set(MODULES)
