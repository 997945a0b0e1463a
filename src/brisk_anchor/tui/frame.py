"""The frame round every view: top line, ladder, prompt, key line."""

from __future__ import annotations

from collections.abc import Sequence
from textwrap import wrap

from rich.table import Table
from rich.text import Text

from brisk_anchor.tui import theme
from brisk_anchor.tui.keymap import Keyed
from brisk_anchor.tui.panels import LatePanel
from brisk_anchor.tui.words import cut

PROMPT_ROWS = 3
"""Lines of the prompt, and of the line that takes its place while something is typed."""


class TopLine(LatePanel):
    """Job, machine, connection, active offset, tool, units."""

    DEFAULT_CSS = f"TopLine {{ height: 1; background: {theme.RAISED}; padding: 0 1; }}"

    def tell(self, left: Sequence[tuple[str, str]], right: Sequence[tuple[str, str]]) -> None:
        """Show (label, value) pairs at the left and at the right; values stand out."""
        grid = Table.grid(expand=True)
        grid.add_column(ratio=1, no_wrap=True, overflow="ellipsis")
        grid.add_column(justify="right", no_wrap=True)
        grid.add_row(_pairs(left), _pairs(right))
        self.tell_late((tuple(left), tuple(right)), lambda _width, _height: grid)


def _pairs(pairs: Sequence[tuple[str, str]]) -> Text:
    text = Text()
    for label, value in pairs:
        if text:
            text.append("   ")
        if label:
            text.append(f"{label} ", theme.QUIET)
        text.append(value, f"bold {theme.TEXT}" if label else theme.TEXT)
    return text


class Ladder(LatePanel):
    """The offsets this job needs, each with its state as a shape, a word and a colour."""

    DEFAULT_CSS = "Ladder { height: 2; padding: 0 1; }"

    def on_click(self) -> None:
        """A click goes on to the next offset, as Tab does."""
        self.app.call_later(self.app.run_action, "dispatch('tab')")

    def tell(self, rungs: Sequence[tuple[str, str, str, str, bool]], lacking: Sequence[str] = ()) -> None:
        """Show (row, title, state, note, chosen) for each offset; titles are cut before states when it is narrow.

        `lacking` are operations whose offset is empty or stale: they stand under the offsets, in every view.
        """

        def make(width: int, _height: int) -> Text:
            text = Text(no_wrap=True)
            room = max(0, (width - 2) // max(1, len(rungs)) - 28)
            for row, title, state, note, chosen in rungs:
                if text:
                    text.append("  ──  ", theme.RULE)
                shape, colour = theme.STATE_SHAPES[state]
                text.append(f" {shape} ", f"bold {colour}")
                text.append(
                    f"[{row}]" if chosen else f" {row} ", f"bold {theme.TEXT}{f' on {theme.CHOSEN}' if chosen else ''}"
                )
                text.append(f" {state}", f"bold {colour}")
                text.append(f"  {note}" if note else "", theme.SAND)
                shown = cut(title, room)
                text.append(f"  {shown}" if room > 6 else "", theme.QUIET)
            if lacking:
                text.append(f"\n ! cannot run: {', '.join(lacking)}", f"bold {theme.CORAL}")
            return text

        self.tell_late((tuple(rungs), tuple(lacking)), make)


class Prompt(LatePanel):
    """One sentence with the next thing to do, and a quieter one behind it; both go on in the next line."""

    DEFAULT_CSS = f"Prompt {{ height: {PROMPT_ROWS}; padding: 0 1; background: {theme.RAISED}; }}"

    def tell(self, sentence: str, behind: str = "", tone: str = "") -> None:
        """`tone` is "", "good", "ask" or "bad"; each has its sign as well as its colour."""
        sign, colour = {
            "": ("›", theme.LIVE),
            "good": ("✓", theme.LIVE),
            "ask": ("?", theme.SAND),
            "bad": ("!", theme.CORAL),
        }[tone]

        def make(width: int, height: int) -> Text:
            text = Text(no_wrap=True, overflow="ellipsis")
            text.append(f"{sign} ", f"bold {colour}")
            first = wrap(sentence, max(20, width - 2)) or [""]
            after = wrap(behind, max(20, width - 2))
            first = _fitted(first, max(1, height - min(1, len(after))))
            text.append("\n  ".join(first), f"bold {theme.CORAL if tone == 'bad' else theme.TEXT}")
            for line in _fitted(after, max(0, height - len(first))):
                text.append(f"\n  {line}", theme.QUIET)
            return text

        self.tell_late((sentence, behind, tone), make)


def _fitted(lines: list[str], most: int) -> list[str]:
    """As many lines as there is room for; the last says that there are more."""
    if len(lines) <= most:
        return lines
    return [*lines[: most - 1], f"{lines[most - 1]} …"] if most else []


class KeyLine(LatePanel):
    """The keys of this view."""

    DEFAULT_CSS = f"KeyLine {{ height: 1; padding: 0 1; background: {theme.RAISED}; color: {theme.QUIET}; }}"

    def tell(self, actions: Sequence[Keyed], width: int) -> None:
        """Show as many keys of a view as fit, then those of the views and of help, which always do."""
        keys = [(action.shown, action.label) for action in actions if action.line]
        views = [action.shown for action in actions if action.name.startswith("view ")]
        of_help = [(action.shown, action.label) for action in actions if action.name == "help"]
        text = Text(no_wrap=True, overflow="ellipsis")
        run = "".join(views)
        tail = [
            (f"{views[0]}–{views[-1]}" if run.isdigit() and run == "".join(sorted(run)) else " ".join(views), "views"),
            *of_help,
        ]
        used = sum(len(k) + len(w) + 3 for k, w in tail) + 2
        for shown, label in keys:
            need = len(shown) + len(label) + 3
            if used + need > width:
                continue
            used += need
            _key(text, shown, label)
        for key, words in tail:
            _key(text, key, words)
        self.tell_text(text)


def _key(text: Text, key: str, words: str) -> None:
    text.append(key, f"bold {theme.SAND}")
    text.append(f" {words}  ", theme.QUIET)
