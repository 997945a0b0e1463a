"""A cutting program on a sheet: its tools and operations, what is put in after them, and the difference it makes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.containers import Horizontal, Vertical
from textual.screen import ModalScreen

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.tui import theme
from brisk_anchor.tui.choice_list import ChoiceList, ListRow
from brisk_anchor.tui.overlay import LeavesOnce
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.terminal import patiently
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.services.insert.weave_editor import WeaveEditor
    from brisk_anchor.services.plan.plan_file import MeasureSection
    from brisk_anchor.tui.base import Stage

KEYS = (
    ("↑ ↓", "operation"),
    ("Space", "mark more"),
    ("m", "measure after it"),
    ("j", "and cut again"),
    ("k", "tool whole?"),
    ("x", "take out"),
    ("u", "undo"),
    ("w", "write"),
    ("PgUp PgDn", "difference"),
    ("Esc", "leave"),
)


class WeaveSheet(LeavesOnce, ModalScreen[None]):
    """Operations on the left, the difference on the right."""

    DEFAULT_CSS = f"""
    WeaveSheet {{ align: center middle; background: {theme.GROUND} 70%; }}
    WeaveSheet #weave {{ width: 96%; height: 92%; padding: 0 1; }}
    WeaveSheet #weave {{ background: {theme.RAISED}; border: round {theme.RULE}; }}
    WeaveSheet #weave-left {{ width: 62; margin: 0 1 0 0; }}
    WeaveSheet #weave-list {{ height: 1fr; }}
    WeaveSheet ChoiceList, WeaveSheet ChoiceList > .option-list--option {{ background: {theme.RAISED}; }}
    WeaveSheet ChoiceList > .option-list--option-disabled {{ background: {theme.RAISED}; }}
    WeaveSheet #weave-said {{ height: 6; }}
    WeaveSheet #weave-diff {{ height: 1fr; }}
    WeaveSheet #weave-keys {{ height: 1; }}
    """

    def __init__(self, editor: WeaveEditor, section: MeasureSection | None, count: int, stage: Stage) -> None:
        """`section` is the measurement that m puts in; a jump back counts in the variable `count`."""
        super().__init__()
        self.editor, self.section, self.count, self.stage = editor, section, count, stage
        self.chosen = 0
        self.top = 0
        editor.going = lambda: self.is_attached and stage.is_running
        self.busy = False
        """Whether a change is being worked out: the program is cut twice on the stand-in for each."""
        first = "Choose an operation; m measures after it, k looks whether its tool is whole."
        self.said: tuple[str, str, str] = (first, "", "")

    def compose(self) -> ComposeResult:
        """List and what was said; the difference; the keys."""
        with Vertical(id="weave"):
            yield Heading(id="weave-heading")
            with Horizontal():
                with Vertical(id="weave-left"):
                    yield ChoiceList(id="weave-list")
                    yield Heading(id="weave-what")
                    yield LatePanel(id="weave-said")
                yield LatePanel(id="weave-diff")
            yield LatePanel(id="weave-keys")

    def on_mount(self) -> None:
        """Show it."""
        self.show()

    def show(self) -> None:
        """Bring everything up to date."""
        editor = self.editor
        changed = "not written" if editor.changed else "as the file is"
        colour = theme.SAND if editor.changed else theme.QUIET
        self.query_one("#weave-heading", Heading).tell(editor.path.name, changed, colour)
        self.query_one("#weave-list", ChoiceList).tell(
            (editor.program.text, frozenset(editor.marked)), lambda _: self._rows(), self.chosen
        )
        what = self.section.known_as if self.section is not None else "nothing: choose a measurement of the plan first"
        self.query_one("#weave-what", Heading).tell(f"m puts in: {what}")
        self.query_one("#weave-said", LatePanel).tell_late(
            (self.said, editor.verdict), lambda width, _h: self._said(width)
        )
        lines = editor.difference
        self.top = max(0, min(self.top, len(lines) - 10))
        self.query_one("#weave-diff", LatePanel).tell_late(
            (tuple(lines), self.top), lambda width, height: _difference(lines[self.top : self.top + height], width)
        )
        keys = Text(no_wrap=True, overflow="ellipsis")
        for key, words in KEYS:
            keys.append(key, f"bold {theme.SAND}")
            keys.append(f" {words}  ", theme.QUIET)
        self.query_one("#weave-keys", LatePanel).tell_text(keys)

    def _rows(self) -> list[ListRow]:
        rows = []  # what is put in stands first: in sight, however many operations there are
        for woven in self.editor.program.woven:
            text = Text(f"   ● {woven.number}  {cut(woven.title.capitalize(), 40)}", theme.LIVE)
            rows.append(ListRow(text.append(f"   {woven.places} ×", theme.QUIET), None))
        for at, operation in enumerate(self.editor.program.operations):
            marked = operation.number in self.editor.marked
            text = Text("   ", no_wrap=True, overflow="ellipsis")
            text.append("■ " if marked else "□ ", theme.SAND if marked else theme.FAINT)
            text.append(f"{operation.number:>2}  ", theme.QUIET)
            tool = f"T{operation.tool}" if operation.changes else ""
            text.append(f"{tool:<5}", f"bold {theme.TEXT}")
            text.append(f"{cut(operation.title, 34):<34}", theme.TEXT)
            text.append(f" {operation.first + 1}–{operation.after}", theme.QUIET)
            rows.append(ListRow(text, at))
        return rows

    def _said(self, width: int) -> Text:
        told, behind, tone = self.said
        text = Text()
        colour = {"good": theme.LIVE, "bad": theme.CORAL}.get(tone, theme.TEXT)
        text.append(f"{'! ' if tone == 'bad' else ''}{told}\n", colour)
        if behind:
            text.append(f"{behind}\n", theme.QUIET)
        if self.editor.verdict:
            bad = self.editor.verdict.startswith("!")
            text.append(f"{self.editor.verdict}.\n", theme.CORAL if bad else theme.LIVE)
        return text

    # -- keys --------------------------------------------------------------------------------------------------

    def on_key(self, event: events.Key) -> None:
        """Everything is done with single keys here."""
        event.stop()
        event.prevent_default()
        work: dict[str, Callable[[], None]] = {
            "up": lambda: self._move(-1),
            "down": lambda: self._move(1),
            "pageup": lambda: self._scroll(-10),
            "pagedown": lambda: self._scroll(10),
            "space": lambda: self.editor.toggle(self._number),
            "m": lambda: self._measure(None),
            "j": lambda: self._measure(self.count),
            "k": self._tool,
            "x": lambda: self._try(lambda: self.editor.take_out()),
            "u": lambda: self._try(lambda: "Taken back" if self.editor.undo() else "Nothing was changed"),
            "w": lambda: self._try(lambda: f"Written: {self.editor.write()}"),
        }
        if event.key == "escape":
            self.dismiss()
        elif event.key in work and not self.busy:
            patiently(self.app, self._do, work[event.key])

    def _do(self, work: Callable[[], None]) -> None:
        work()
        self.show()

    @property
    def _number(self) -> int:
        return self.editor.program.operations[self.chosen].number

    def _move(self, step: int) -> None:
        self.chosen = max(0, min(len(self.editor.program.operations) - 1, self.chosen + step))

    def _scroll(self, step: int) -> None:
        self.top += step

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click on an operation."""
        self._move(message.choice - self.chosen)
        self.show()

    def _try(self, work: Callable[[], str]) -> None:
        """Do behind the screen what changes the program; then say what came of it."""

        def run() -> None:
            try:
                told = (f"{work()}.", "", "good")
            except BriskAnchorError as error:
                told = (f"{error.what}.", f"{error.meaning}. {error.remedy}.".replace("..", "."), "bad")
            self.stage.from_background(partial(self._tried, told))

        self.busy = True
        self.said = ("Being worked out, and cut on the stand-in without it and with it.", "", "")
        self.stage.in_background(run, "weave")

    def _tried(self, told: tuple[str, str, str]) -> None:
        self.busy, self.said = False, told
        if self.is_attached:
            self.chosen = min(self.chosen, len(self.editor.program.operations) - 1)
            self.show()

    def _measure(self, count: int | None) -> None:
        section = self.section
        if section is None:
            self.said = ("There is no measurement to put in.", "Choose one in the plan, then open this again.", "bad")
            return
        self._try(lambda: self.editor.measure(section, self._number, count))

    def _tool(self) -> None:
        from brisk_anchor.services.insert.weave_editor import TOLERANCE

        tool = self.editor.program.operations[self.chosen].tool
        self._try(lambda: self.editor.check_tool(tool, TOLERANCE, self._number))


def _difference(lines: list[str], width: int) -> Text:
    """Lines of a unified diff: what came is told by its + and its colour, what went by its −."""
    text = Text(no_wrap=True, overflow="ellipsis")
    if not lines:
        text.append(" nothing is changed yet\n", theme.QUIET)
    for line in lines:
        colour = theme.QUIET
        if line.startswith("+") and not line.startswith("+++"):
            colour = theme.LIVE
        elif line.startswith("-") and not line.startswith("---"):
            colour = theme.CORAL
        elif line.startswith("@@"):
            colour = theme.SAND
        text.append(f" {cut(line, width - 2)}\n", colour)
    return text
