"""The keys of every view as a page of the docs, made from the action tables: `python -m brisk_anchor.tui.key_list`."""

from __future__ import annotations

from collections.abc import Sequence

from brisk_anchor.core.key_marks import plain
from brisk_anchor.tui.actions import ACTIONS, Action
from brisk_anchor.tui.keymap import Keyed, Keymap
from brisk_anchor.tui.turning import keys
from brisk_anchor.tui.views import VIEWS

_OWN_KEYS = (
    "Keys of your own stand in `keys.toml` in the data folder: a section for each view, or `[everywhere]`; in it the",
    "name of what is done and its key. A view's own section counts more. What is not named keeps its key.",
    "",
    "```toml",
    "[everywhere]",
    'help = "F1"',
    "",
    "[bench]",
    'store = "K"',
    'clamped = "S"',
    '"choose measured" = ["<", ">"]      # a name with two keys takes two',
    "```",
    "",
    "A key is a character, `Space`, `Del`, `Backspace`, `PgUp`, `PgDn`, `Home`, `End`, `Ins`, `F1` to `F12`,",
    "or `Ctrl+A`. Enter, Tab, Esc and the arrows stay what they are; so do the keys that a sheet on top shows.",
    "Where two things would have one key, or a name does not exist, the keys of this page hold and the screen says",
    "why. `brisk-anchor keys` looks at the file and prints all keys in force, in the same form.",
)


def keys_page() -> str:
    """The page: a table a view, of the mill and then of the lathe."""
    mill, lathe = Keymap(ACTIONS), Keymap(keys.ACTIONS)
    text = ["# Keys", "", "Made from the action tables (`python -m brisk_anchor.tui.key_list > docs/keys.md`).", ""]
    text += [
        "By mouse: a click chooses a line of a list or of a program, a feature on a drawing, a place of the fixture,",
        "or an offset in the line at the top; the wheel goes nearer on a drawing and on in a program.",
        "",
        *_OWN_KEYS,
        "",
        "## On a mill",
        "",
    ]
    for view in VIEWS:
        text += _table(f"{view.key} {view.title}, `[{view.name}]`", mill.of_view(view.name))
    text += _across(mill)
    text += ["## On a lathe", ""]
    for place in keys.VIEWS:
        text += _table(f"{place.key} {place.title}, `[{place.name}]`", lathe.of_view(place.name))
    return "\n".join(text).rstrip() + "\n"


def _across(mill: Keymap[Action]) -> list[str]:
    """What each key does in every view of the mill side by side, but for those that do one thing everywhere."""
    found: dict[str, dict[str, str]] = {}
    for view in VIEWS:
        for action in mill.of_view(view.name):
            found.setdefault(action.shown, {})[view.name] = action.label
    rows = {shown: by for shown, by in found.items() if len(set(by.values())) > 1 or len(by) < len(VIEWS)}
    head = ["Key", *(view.title for view in VIEWS)]
    lines = [f"| {' | '.join(head)} |", "|" + "---|" * len(head)]
    for shown in sorted(rows, key=lambda key: (len(key) > 1, key.lower(), key)):
        cells = [f"`{_cell(shown)}`", *(rows[shown].get(view.name, "") for view in VIEWS)]
        lines.append(f"| {' | '.join(cells)} |")
    return ["### The same key in every view", "", *lines, ""]


def _table(title: str, actions: Sequence[Keyed]) -> list[str]:
    lines = [f"| `{_cell(one.shown)}` | {_cell(one.name)} | {_cell(plain(one.help))} |" for one in actions]
    return [f"### {title}", "", "| Key | Name | What it does |", "|---|---|---|", *lines, ""]


def _cell(text: str) -> str:
    return text.replace("|", "\\|")


if __name__ == "__main__":
    print(keys_page(), end="")
