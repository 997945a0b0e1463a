"""What widgets may know of the terminal they are shown on, and of what the application waits for."""

from __future__ import annotations

from collections.abc import Callable
from typing import ParamSpec

from rich.console import RenderableType
from rich.text import Text
from textual.app import App

from brisk_anchor.core.key_marks import plain
from brisk_anchor.tui.patience import Patience

P = ParamSpec("P")
CELL_RATIO = 2.25
"""Height of a character cell over its width, where the terminal does not tell."""


class Terminal:
    """What an application is for its widgets: it knows the shape of a cell, the keys in force, and how to wait.

    A class and no protocol: widgets ask at every picture whether they are shown by one.
    """

    cell_ratio: float
    patience: Patience

    def said(self, text: str) -> str:
        """A sentence with the keys in force in place of the marks in it."""
        raise NotImplementedError

    def said_in(self, shown: RenderableType) -> RenderableType:
        """Styled words with the keys in force in place of the marks in them."""
        raise NotImplementedError


def cell_ratio(app: App[object]) -> float:
    """Height of a character cell over its width."""
    return app.cell_ratio if isinstance(app, Terminal) else CELL_RATIO


def said(app: App[object], text: str) -> str:
    """A sentence with the keys in force in place of the marks in it."""
    return app.said(text) if isinstance(app, Terminal) else plain(text)


def said_in(app: App[object], shown: RenderableType) -> RenderableType:
    """Styled words with the keys in force in place of the marks in them."""
    return app.said_in(shown) if isinstance(app, Terminal) else shown


def said_text(app: App[object], text: Text) -> Text:
    """A styled text with the keys in force in place of the marks in it."""
    found = said_in(app, text)
    return found if isinstance(found, Text) else text


def waits(app: App[object]) -> bool:
    """Whether the application waits for an answer; it says so then."""
    return isinstance(app, Terminal) and app.patience.told_waiting()


def patiently(app: App[object], method: Callable[P, object], *args: P.args, **kwargs: P.kwargs) -> None:
    """Call what may have to wait for the book or a disk; nothing is called while something waits already."""
    if not isinstance(app, Terminal):
        method(*args, **kwargs)
    elif not app.patience.told_waiting():
        app.patience.run(method, *args, **kwargs)
