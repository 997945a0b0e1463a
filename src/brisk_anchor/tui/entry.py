"""The line where numbers are typed: shows what the entry comes to before Enter, or why it is refused."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.widgets import Input, Static

from brisk_anchor.core.search import next_with
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.tui import theme
from brisk_anchor.tui.frame import PROMPT_ROWS, Prompt
from brisk_anchor.tui.terminal import patiently, said, waits

_WORDS, _FEW_WORDS = 60, 44
"""Columns of the field that takes words, in a wide window and in a small one."""
LENGTH = "length"
"""The unit of a question that asks for a length."""
_OWN = ("enter", "up", "down")
_EDITING = {
    key: binding.action
    for binding in Input.BINDINGS
    if isinstance(binding, Binding)
    for key in binding.key.split(",")
    if key not in (*_OWN, "ctrl+c")
}
"""What keys do in the field, but those that the line itself, or the application, gives a meaning."""


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
    unit: str = LENGTH
    """What stands behind the figure: LENGTH for the unit that is shown, "°" of an angle, nothing of a count."""
    step: float = 0.0
    """By how much ↑ and ↓, or the wheel, change it: mm, degrees or a count; 0 where nothing shows what comes of it."""
    preview: Callable[[float], None] | None = None
    """Shows what the figure would do, with each step; `answer` makes it stay, and Esc puts the present one back."""


@dataclass(frozen=True, slots=True)
class Words:
    """Words to type: what they are, a hint, what they come to (or a BriskAnchorError why not), what to do with them."""

    name: str
    hint: str | Callable[[str], str]
    weigh: Callable[[str], str]
    answer: Callable[[str], None]
    text: str = ""
    """What stands there to begin with, to be changed."""
    step: Callable[[str, int], str] | None = None
    """The text with what ↑ and ↓ choose changed by one."""
    replaced: bool = False
    """Whether what is typed first takes the place of what stands there."""

    def hint_for(self, text: str) -> str:
        """The hint for what is typed so far."""
        return self.hint if isinstance(self.hint, str) else self.hint(text.strip())


def search(texts: Sequence[str], after: int, answer: Callable[[int], None]) -> Words:
    """Words of one of the texts, to go to the next that has them."""

    def weigh(words: str) -> str:
        match = next_with(words, texts, after)
        return texts[match.at] + (f", one of {match.count}" if match.count > 1 else "")

    return Words(
        "search",
        "words of its name, or its number; again for the next one",
        weigh,
        lambda words: answer(next_with(words, texts, after).at),
    )


class EntryLine(Vertical):
    """A label and a field with what it comes to beside it; under it a line, or two, of what to do."""

    DEFAULT_CSS = f"""
    EntryLine {{ height: {PROMPT_ROWS}; display: none; background: {theme.RAISED}; padding: 0 1; }}
    EntryLine Horizontal {{ height: 1; }}
    EntryLine #entry-label {{ width: auto; color: {theme.SAND}; text-style: bold; }}
    EntryLine Input {{ width: 30; height: 1; border: none; padding: 0 1; background: {theme.GROUND}; }}
    EntryLine #entry-result {{ width: 1fr; height: 1; padding: 0 1; }}
    EntryLine #entry-note {{ height: 1fr; text-wrap: wrap; }}
    """

    def __init__(self) -> None:
        super().__init__(id="entry")
        self.question: Question | Words | None = None
        self._stepped: float | None = None

    def compose(self) -> ComposeResult:
        """Label, field, result; the note under them."""
        with Horizontal():
            yield Static("", id="entry-label")
            yield Input(id="entry-field", compact=True, select_on_focus=False, disabled=True)
            yield Static("", id="entry-result")
        yield Static("", id="entry-note")

    @property
    def is_open(self) -> bool:
        """Whether something is being typed."""
        return self.question is not None

    @property
    def pending(self) -> str | None:
        """The typed text of a figure that would be taken by Enter, None for nothing."""
        text = self.query_one(Input).value
        return text if isinstance(self.question, Question) and text.strip() else None

    def ask(self, question: Question | Words) -> None:
        """Open the line for a figure or for words."""
        self.question, self._stepped = question, None
        # It takes the prompt's place, so that nothing else moves.
        self.display, self.screen.query_one(Prompt).display = True, False
        self.query_one("#entry-label", Static).update(said(self.app, f"{question.name} "))
        field = self.query_one(Input)
        field.disabled = False
        words = _FEW_WORDS if self.app.has_class("compact") else _WORDS
        field.styles.width = 30 if isinstance(question, Question) else words
        field.cursor_blink = False
        field.focus()
        self._put(question.text if isinstance(question, Words) else "")
        if isinstance(question, Words) and question.replaced:
            field.select_all()

    def _put(self, text: str) -> None:
        """Put a text into the field, the cursor behind it."""
        field = self.query_one(Input)
        with field.prevent(Input.Changed):
            field.value = text
        field.cursor_position = len(text)
        self._weigh(text)

    def close(self) -> None:
        """Leave the line without an answer; what was only shown is taken back."""
        question, self.question = self.question, None
        self.display, self.screen.query_one(Prompt).display = False, True
        self.query_one(Input).disabled = True
        self.screen.set_focus(None)
        if not isinstance(question, Question) or self._stepped is None:
            return
        if question.preview is not None and question.present is not None:
            question.preview(question.present)

    def takes(self, event: events.Key | events.Paste) -> bool:
        """Whether something typed belongs to the line."""
        return isinstance(event, events.Paste) or event.is_printable or event.key in _EDITING or event.key in _OWN

    async def take(self, event: events.Key | events.Paste) -> None:
        """Take something typed, wholly: what is typed next meets the line as this leaves it.

        It does not go by the field's own queue, where an Enter, or a Tab, could overtake a digit.
        """
        field = self.query_one(Input)
        if isinstance(event, events.Key) and event.key == "enter":
            self.submit(field.value)
        elif isinstance(event, events.Key) and event.key in _OWN:
            self._step(1 if event.key == "up" else -1)
        else:
            with field.prevent(Input.Changed):
                if isinstance(event, events.Paste):
                    self._insert(field, "".join(event.text.splitlines()[:1]))
                elif event.is_printable:
                    self._insert(field, event.character or "")
                else:
                    await self.app.run_action(_EDITING[event.key], field)
            self._weigh(field.value)

    @staticmethod
    def _insert(field: Input, text: str) -> None:
        if field.selection.is_empty:
            field.insert_text_at_cursor(text)
        else:
            field.replace(text, *field.selection)

    def on_input_changed(self) -> None:
        """Show what it comes to so far, where the field was changed by something else than keys."""
        self._weigh(self.query_one(Input).value)

    def on_mouse_scroll_up(self, event: events.MouseScrollUp) -> None:
        """The wheel does what the keys do."""
        event.stop()
        self._step(1)

    def on_mouse_scroll_down(self, event: events.MouseScrollDown) -> None:
        """The wheel does what the keys do."""
        event.stop()
        self._step(-1)

    def _step(self, sign: int) -> None:
        question, text = self.question, self.query_one(Input).value
        if isinstance(question, Words):
            if question.step is not None:
                self._put(question.step(text, sign))
            return
        if question is None or not question.step:
            return
        from brisk_anchor.core.quantities import entered, plain

        value = self._weigh(text) if text.strip() else question.present
        if value is None:
            return
        value = min(question.high, max(question.low, round(value + sign * question.step, 6)))
        self._put(entered(value) if question.unit == LENGTH else plain(value))
        self._stepped = value
        if question.preview is not None:
            question.preview(value)

    def _weigh(self, text: str) -> float | None:
        """Show what was typed comes to; the figure where it is sound."""
        from brisk_anchor.core.errors import NumberEntryError
        from brisk_anchor.core.numbers import parse_length, parse_number
        from brisk_anchor.core.quantities import dim, num

        question = self.question
        if question is None:
            return None
        if isinstance(question, Words):
            self._weigh_words(question, text)
            return None
        is_length = question.unit == LENGTH

        def shown(value: float, decimals: int) -> str:
            return dim(value, decimals) if is_length else f"{num(value)}{question.unit}"

        result = Text(no_wrap=True, overflow="ellipsis")
        value: float | None = None
        if not text.strip():
            now = "type what the control shows" if question.note else "not known"
            if question.enter is not None:
                now = f"Enter takes {shown(question.enter, 3)}"
            elif question.present is not None:
                now = f"now {shown(question.present, 3)}"
            result.append(now, theme.QUIET)
        else:
            try:
                parse = parse_length if is_length else parse_number
                value = parse(text, present=question.present, low=question.low, high=question.high)
                result.append(f"= {shown(value, 4)}", f"bold {theme.LIVE}")
            except NumberEntryError as error:
                result.append(said(self.app, f"! {error.one_line(marked=True)}"), theme.CORAL)
        usual = "sums, fractions, mm and in; =-0.2 takes off; Tab goes to the next figure, Esc leaves"
        if not is_length:
            usual = "Tab goes to the next figure, Esc leaves"
        stepped = "↑ ↓ change it; " if question.step else ""
        self.query_one("#entry-result", Static).update(result, layout=False)
        self.query_one("#entry-note", Static).update(
            Text(said(self.app, f"{stepped}{question.note or usual}"), theme.QUIET)
        )
        return value

    def _weigh_words(self, question: Words, text: str) -> bool:
        from brisk_anchor.core.errors import BriskAnchorError

        sound = False
        result, note = Text(no_wrap=True, overflow="ellipsis"), Text()
        hint = said(self.app, question.hint_for(text))
        if not text.strip():
            hint += "  Esc leaves"
        if text.strip():
            try:
                told = question.weigh(text.strip())
                sound = True
                note.append(said(self.app, told), f"bold {theme.LIVE}")
            except BriskAnchorError as error:
                note.append(said(self.app, f"! {error.one_line(marked=True)}"), theme.CORAL)
        if not note.plain or len(hint) + 2 <= self._room_beside(question):
            result.append(hint, theme.QUIET)
        if not note.plain:
            result, note = Text(), Text(hint, theme.QUIET)
        self.query_one("#entry-result", Static).update(result, layout=False)
        self.query_one("#entry-note", Static).update(note, layout=False)
        return sound

    def _room_beside(self, question: Words) -> int:
        """How many columns are free beside the field."""
        field = _FEW_WORDS if self.app.has_class("compact") else _WORDS
        return self.app.size.width - len(question.name) - field - 6

    def submit(self, text: str) -> bool:
        """Take what was typed; whether there was an answer in it."""
        question = self.question
        if question is None or waits(self.app):
            return False
        if not text.strip():
            self.close()
            if isinstance(question, Question) and question.enter is not None:
                patiently(self.app, question.answer, question.enter)
            return True
        if isinstance(question, Words):
            if self._weigh_words(question, text):
                self.close()
                patiently(self.app, question.answer, text.strip())
                return True
            return False
        value = self._weigh(text)
        if value is None:
            return False
        self._stepped = None
        self.close()
        patiently(self.app, question.answer, value)
        return True
