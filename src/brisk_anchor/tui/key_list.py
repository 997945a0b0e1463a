"""The keys of every view as a page of the docs, made from the action tables: `python -m brisk_anchor.tui.key_list`."""

from __future__ import annotations

from collections.abc import Iterable

from brisk_anchor.tui.actions import of_view
from brisk_anchor.tui.turning import keys
from brisk_anchor.tui.views import VIEWS


def keys_page() -> str:
    """The page: a table a view, of the mill and then of the lathe."""
    text = ["# Keys", "", "Made from the action tables (`python -m brisk_anchor.tui.key_list > docs/keys.md`).", ""]
    text += [
        "By mouse: a click chooses a line of a list or of a program, a feature on a drawing, a place of the fixture,",
        "or an offset in the line at the top; the wheel goes nearer on a drawing and on in a program.",
        "",
        "## On a mill",
        "",
    ]
    for view in VIEWS:
        text += _table(f"{view.key} {view.title}", ((action.shown, action.help) for action in of_view(view.name)))
    text += _across()
    text += ["## On a lathe", ""]
    for place in keys.VIEWS:
        text += _table(f"{place.key} {place.title}", ((item.shown, item.help) for item in keys.of_view(place.name)))
    return "\n".join(text).rstrip() + "\n"


def _across() -> list[str]:
    """What each key does in every view of the mill side by side, but for those that do one thing everywhere."""
    found: dict[str, dict[str, str]] = {}
    for view in VIEWS:
        for action in of_view(view.name):
            if action.label:
                found.setdefault(action.shown, {})[view.name] = action.label
    rows = {shown: by for shown, by in found.items() if len(set(by.values())) > 1 or len(by) < len(VIEWS)}
    head = ["Key", *(view.title for view in VIEWS)]
    lines = [f"| {' | '.join(head)} |", "|" + "---|" * len(head)]
    for shown in sorted(rows, key=lambda key: (len(key) > 1, key.lower(), key)):
        cells = [f"`{shown.replace('|', chr(92) + '|')}`", *(rows[shown].get(view.name, "") for view in VIEWS)]
        lines.append(f"| {' | '.join(cells)} |")
    return ["### The same key in every view", "", *lines, ""]


def _table(title: str, rows: Iterable[tuple[str, str]]) -> list[str]:
    lines = [
        f"| `{shown.replace('|', chr(92) + '|')}` | {words.replace('|', chr(92) + '|')} |" for shown, words in rows
    ]
    return [f"### {title}", "", "| Key | What it does |", "|---|---|", *lines, ""]


if __name__ == "__main__":
    print(keys_page(), end="")
