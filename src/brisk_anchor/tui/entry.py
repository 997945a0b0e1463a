"""The line where numbers are typed: shows what the entry comes to before Enter, or why it is refused."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from textwrap import wrap

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Horizontal
from textual.widgets import Input, Static

from brisk_anchor.tui import theme
from brisk_anchor.tui.frame import Prompt
from brisk_anchor.tui.terminal import patiently, waits

_WORDS = 60
"""Columns of the field that takes words; the rest of the line shows what they come to."""


@dataclass(frozen=True, slots=True)
class Question:
    """One figure to type: its name, the present value (mm) or None, limits, and what to do with the answer."""

    name: str
    present: float | None
    low: float
    high: float
    answer: Callable[[float], None]
    note: str = ""
    """What to do, in place of how figures are typed."""
    enter: float | None = None
    """What Enter alone answers, mm; None leaves."""
    unit: str = " mm"
    """What stands behind the figure: "°" of an angle, nothing of a count."""


@dataclass(frozen=True, slots=True)
class Words:
    """Words to type: what they are, a hint, what they come to (or a BriskAnchorError why not), what to do with them."""

    name: str
    hint: str | Callable[[str], str]
    weigh: Callable[[str], str]
    answer: Callable[[str], None]

    def hint_for(self, text: str) -> str:
        """The hint for what is typed so far."""
        return self.hint if isinstance(self.hint, str) else self.hint(text.strip())


class EntryLine(Horizontal):
    """A label, a field, and what it comes to."""

    DEFAULT_CSS = f"""
    EntryLine {{ height: 2; display: none; background: {theme.RAISED}; padding: 0 1; }}
    EntryLine #entry-label {{ width: auto; color: {theme.SAND}; text-style: bold; }}
    EntryLine Input {{ width: 30; height: 1; border: none; padding: 0 1; background: {theme.GROUND}; }}
    EntryLine #entry-result {{ width: 1fr; height: 2; padding: 0 1; }}
    """

    def __init__(self) -> None:
        super().__init__(id="entry")
        self.question: Question | Words | None = None

    def compose(self) -> ComposeResult:
        """Label, field, result."""
        yield Static("", id="entry-label")
        yield Input(id="entry-field", compact=True, select_on_focus=False, disabled=True)
        yield Static("", id="entry-result")

    @property
    def is_open(self) -> bool:
        """Whether something is being typed."""
        return self.question is not None

    def ask(self, question: Question | Words) -> None:
        """Open the line for a figure or for words."""
        self.question = question
        # It takes the prompt's place, so that nothing else moves.
        self.display, self.screen.query_one(Prompt).display = True, False
        self.query_one("#entry-label", Static).update(f"{question.name} ")
        field = self.query_one(Input)
        field.disabled = False
        field.value = ""
        field.styles.width = 30 if isinstance(question, Question) else _WORDS
        field.cursor_blink = False
        field.focus()
        self._weigh("")

    def close(self) -> None:
        """Leave the line without an answer."""
        self.question = None
        self.display, self.screen.query_one(Prompt).display = False, True
        self.query_one(Input).disabled = True
        self.screen.set_focus(None)

    def on_input_changed(self, event: Input.Changed) -> None:
        """Show what it comes to so far."""
        self._weigh(event.value)

    def _weigh(self, text: str) -> float | None:
        from brisk_anchor.core.errors import NumberEntryError
        from brisk_anchor.core.numbers import parse_length
        from brisk_anchor.core.quantities import num

        question = self.question
        if question is None:
            return None
        if isinstance(question, Words):
            self._weigh_words(question, text)
            return None
        shown = Text()
        value: float | None = None
        if not text.strip():
            now = "type what the control shows" if question.note else "not known"
            if question.enter is not None:
                now = f"Enter takes where the machine stands: {num(question.enter, 3)}"
            now = (
                now
                if question.present is None or question.enter is not None
                else (f"now {num(question.present, 3 if question.unit == ' mm' else None)}{question.unit}")
            )
            shown.append(f"{now}\n", theme.QUIET)
        else:
            try:
                value = parse_length(text, present=question.present, low=question.low, high=question.high)
                shown.append(
                    f"= {num(value, 4 if question.unit == ' mm' else None)}{question.unit}", f"bold {theme.LIVE}"
                )
                shown.append("\n")
            except NumberEntryError as error:
                shown.append(f"! {error.one_line()}\n", theme.CORAL)
        usual = "sums, fractions, mm and in; =-0.2 takes off; Tab goes to the next figure, Esc leaves"
        shown.append(question.note or usual, theme.QUIET)
        self.query_one("#entry-result", Static).update(shown)
        return value

    def _weigh_words(self, question: Words, text: str) -> bool:
        from brisk_anchor.core.errors import BriskAnchorError

        sound = False
        result = self.query_one("#entry-result", Static)
        if text.strip():
            try:
                shown = Text(f"{question.weigh(text.strip())}\n", f"bold {theme.LIVE}")
                sound = True
            except BriskAnchorError as error:
                shown = Text(f"! {error.what}\n", theme.CORAL)
            shown.append(question.hint_for(text), theme.QUIET)
        else:  # on both lines, where it is long
            room = max(20, self.app.size.width - len(question.name) - _WORDS - 5)
            shown = Text("\n".join(wrap(f"{question.hint_for(text)}  Esc leaves", room)), theme.QUIET)
        result.update(shown)
        return sound

    def on_input_submitted(self, event: Input.Submitted) -> None:
        """Take the figure when it is sound."""
        event.stop()
        question = self.question
        if question is None or waits(self.app):
            return
        if not event.value.strip():
            self.close()
            if isinstance(question, Question) and question.enter is not None:
                patiently(self.app, question.answer, question.enter)
            return
        if isinstance(question, Words):
            if self._weigh_words(question, event.value):
                self.close()
                patiently(self.app, question.answer, event.value.strip())
            return
        value = self._weigh(event.value)
        if value is not None:
            self.close()
            patiently(self.app, question.answer, value)
