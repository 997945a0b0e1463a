"""What all views of a lathe have in common, and what they may ask of the application."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, TypeVar

from textual.containers import Horizontal
from textual.screen import Screen

from brisk_anchor.core.errors import BriskAnchorError

if TYPE_CHECKING:
    from brisk_anchor.services.turning.turning_session import TurningSession
    from brisk_anchor.tui.entry import Question, Words

Handlers = Mapping[str, Callable[..., None]]
"""How each action is done, by its name in the table; it is called with the arguments the table has."""

Found = TypeVar("Found")


class TurningStage(Protocol):
    """What a view of a lathe may ask of the application. Calls take effect at once."""

    @property
    def folder(self) -> Path:
        """Where sheets and files go."""

    @property
    def session(self) -> TurningSession | None:
        """The job at work; None until it is open."""

    def attempt(self, work: Callable[[], tuple[str, str]]) -> None:
        """Do something, show what became of it, and tell it in two sentences; or tell why it could not be."""

    def tell(self, sentence: str, behind: str = "", tone: str = "") -> None:
        """Put a sentence in the prompt; `tone` is "", "good", "ask" or "bad"."""

    def confirm(self, sentence: str, behind: str, work: Callable[[], None]) -> None:
        """Ask; Enter as the next key does `work`, any other key leaves it."""

    def complain(self, error: BriskAnchorError) -> None:
        """Say what happened, what it means, what to do."""

    def ask(self, question: Question | Words) -> None:
        """Open the line for a figure or for words."""

    def show_all(self, *, keep_prompt: bool = False) -> None:
        """Bring frame and view up to date."""

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """The next thing to do in the view that is shown, in two sentences."""

    def open_sheet(self, sheet: Screen[None]) -> None:
        """Lay a sheet on top of the view."""

    def in_background(self, work: Callable[[], None], name: str) -> None:
        """Run what takes long in a thread."""

    def beside(self, telling: str, work: Callable[[], Found], show: Callable[[Found], None]) -> None:
        """Do in a thread what takes long; then show what came of it, or say why nothing did."""

    def tell_written(self, paths: Sequence[Path]) -> None:
        """Say which files were written."""

    def from_background(self, show: Callable[[], None]) -> None:
        """Show something from such a thread."""


class TurningPanel(Horizontal):
    """A view of a lathe."""

    def __init__(self, stage: TurningStage, *, id: str) -> None:
        super().__init__(id=id)
        self.stage = stage

    @property
    def handlers(self) -> Handlers:
        """How this view does what its keys ask for."""
        raise NotImplementedError

    def show(self) -> None:
        """Bring everything up to date."""
        raise NotImplementedError

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """The next thing to do here, in two sentences."""
        raise NotImplementedError
