"""What widgets may know of the terminal they are shown on, and of what the application waits for."""

from __future__ import annotations

from collections.abc import Callable
from typing import ParamSpec, Protocol, runtime_checkable

from textual.app import App

from brisk_anchor.tui.patience import Patience

P = ParamSpec("P")
CELL_RATIO = 2.25
"""Height of a character cell over its width, where the terminal does not tell."""


@runtime_checkable
class Terminal(Protocol):
    """An application that knows the shape of a cell and waits patiently."""

    cell_ratio: float
    patience: Patience


def cell_ratio(app: App[object]) -> float:
    """Height of a character cell over its width."""
    return app.cell_ratio if isinstance(app, Terminal) else CELL_RATIO


def waits(app: App[object]) -> bool:
    """Whether the application waits for an answer; it says so then."""
    return isinstance(app, Terminal) and app.patience.told_waiting()


def patiently(app: App[object], method: Callable[P, object], *args: P.args, **kwargs: P.kwargs) -> None:
    """Call what may have to wait for the book or a disk; nothing is called while something waits already."""
    if not isinstance(app, Terminal):
        method(*args, **kwargs)
    elif not app.patience.told_waiting():
        app.patience.run(method, *args, **kwargs)
