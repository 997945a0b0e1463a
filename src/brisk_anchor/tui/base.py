"""What all views have in common, and what they may ask of the application."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, TypeVar

from textual.containers import Horizontal
from textual.screen import Screen

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.tui.actions import Do

if TYPE_CHECKING:
    from brisk_anchor.tui.entry import Question, Words
    from brisk_anchor.tui.view_state import ViewState

Handlers = Mapping[Do, Callable[..., Awaitable[None] | None]]
"""How each action is done; it is called with the arguments that the table of actions has."""

Found = TypeVar("Found")


class Stage(Protocol):
    """What a view, or a part of one, may ask of the application. Calls take effect at once.

    They are calls and no posted messages because keys that were typed ahead must meet the line that was just opened:
    a message would come after them.
    """

    @property
    def folder(self) -> Path:
        """Where sheets and files go."""

    @property
    def view_state(self) -> ViewState | None:
        """What the views share; None until the job is open."""

    @property
    def view(self) -> str:
        """The name of the view that is shown."""

    @property
    def is_running(self) -> bool:
        """Whether the application still runs."""

    def free(self, how: str = "Esc stops it.") -> ViewState | None:
        """What the views share, when nothing moves; otherwise says `how` to end that, and returns None."""

    def attempt(self, work: Callable[[], tuple[str, str]]) -> None:
        """Do something, show what became of it, and tell it in two sentences; or tell why it could not be."""

    def tell(self, sentence: str, behind: str = "", tone: str = "") -> None:
        """Put a sentence in the prompt, a quieter one under it; `tone` is "", "good", "ask" or "bad"."""

    def confirm(self, sentence: str, behind: str, work: Callable[[], None]) -> None:
        """Ask; Enter as the next key does `work`, any other key leaves it."""

    def complain(self, error: BriskAnchorError) -> None:
        """Say what happened, what it means, what to do."""

    def ask(self, question: Question | Words) -> None:
        """Open the line for a figure or for words."""

    def next_sentence(self) -> tuple[str, str]:
        """The next thing to do, in two sentences."""

    def show_all(self, *, keep_prompt: bool = False) -> None:
        """Bring frame and view up to date."""

    def open_sheet(self, sheet: Screen[None]) -> None:
        """Lay a sheet on top of the view."""

    async def go_to(self, view: str) -> None:
        """Show another view."""

    def in_background(self, work: Callable[[], None], name: str) -> None:
        """Run what takes long in a thread; what runs under the same name is given up for it."""

    def beside(self, telling: str, work: Callable[[], Found], show: Callable[[Found], None]) -> None:
        """Do in a thread what takes long; then show what came of it, or say why nothing did."""

    def tell_written(self, paths: Sequence[Path]) -> None:
        """Say which files were written."""

    def from_background(self, show: Callable[[], None]) -> None:
        """Show something from such a thread; nothing where the application has ended."""


class View(Horizontal):
    """A view: it shows what all views share, and says how it does what its keys ask for."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(id=id)
        self.stage = stage

    @property
    def view_state(self) -> ViewState | None:
        """The shared state, None until the job is open."""
        return self.stage.view_state

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        raise NotImplementedError

    def show(self) -> None:
        """Bring everything up to date."""
        raise NotImplementedError

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """The next thing to do here, in two sentences."""
        raise NotImplementedError

    def follow(self, seconds: float) -> None:
        """Let what runs in this view go on, where something can."""

    def chosen_row(self, row: str) -> None:
        """Follow the offset that was chosen elsewhere, where that matters."""

    def after_question(self, name: str) -> None:
        """Go on to the next question after Tab left the one of that name, where there are more."""

    def stop(self) -> None:
        """Leave what was begun, where something can be."""

    def write_sheet(self) -> bool:
        """Draw a sheet of this view's own; False where it has none."""
        return False
