"""The keys of every view as a page of the docs, made from the action tables: `python -m brisk_anchor.tui.key_list`."""

from __future__ import annotations

from collections.abc import Iterable

from brisk_anchor.tui.actions import of_view
from brisk_anchor.tui.turning import keys
from brisk_anchor.tui.views import VIEWS


def keys_page() -> str:
    """The page: a table a view, of the mill and then of the lathe."""
    text = ["# Keys", "", "Made from the action tables (`python -m brisk_anchor.tui.key_list > docs/keys.md`).", ""]
    text += ["## On a mill", ""]
    for view in VIEWS:
        text += _table(f"{view.key} {view.title}", ((action.shown, action.help) for action in of_view(view.name)))
    text += ["## On a lathe", ""]
    for place in keys.VIEWS:
        text += _table(f"{place.key} {place.title}", ((item.shown, item.help) for item in keys.of_view(place.name)))
    return "\n".join(text).rstrip() + "\n"


def _table(title: str, rows: Iterable[tuple[str, str]]) -> list[str]:
    lines = [
        f"| `{shown.replace('|', chr(92) + '|')}` | {words.replace('|', chr(92) + '|')} |" for shown, words in rows
    ]
    return [f"### {title}", "", "| Key | What it does |", "|---|---|", *lines, ""]


if __name__ == "__main__":
    print(keys_page(), end="")
