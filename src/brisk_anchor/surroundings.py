"""What the folder one stands in may do: nothing. No code is imported from it and no library reads settings there.

A file `decimal.py` or `matplotlibrc` beside a plan came from somewhere; opening the plan must not run it. This module
is imported first of all, so it imports nothing that the interpreter has not loaded already.
"""

from __future__ import annotations

import _thread
import os
import sys

_MOVING = _thread.RLock()


def without_current_folder(paths: list[str]) -> list[str]:
    """The entries of a module search path that do not lead to the current folder."""
    try:
        here = os.path.realpath(os.getcwd())
    except OSError:  # it was removed: nothing can be imported from it
        return [path for path in paths if path]
    return [path for path in paths if path and os.path.realpath(path) != here]


def child_command(module: str, function: str) -> list[str]:
    """The command of a child process that runs one function of ours, with our packages and nothing of its folder."""
    code = f"import sys; sys.path[:] = sys.argv[1:]; from {module} import {function}; {function}()"
    return [sys.executable, "-I", "-c", code, *without_current_folder(sys.path)]


class Elsewhere:
    """Stands in our own package's folder meanwhile: for importing a library that reads settings where one stands."""

    def __enter__(self) -> None:
        _MOVING.acquire()
        try:
            self._here = os.getcwd()
        except OSError:
            self._here = ""
        os.chdir(os.path.dirname(os.path.abspath(__file__)))

    def __exit__(self, *_: object) -> None:
        try:
            if self._here:
                os.chdir(self._here)
        finally:
            _MOVING.release()
