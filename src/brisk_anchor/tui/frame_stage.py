"""What a view of any application of ours may ask of the frame it is shown in."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, TypeVar

from textual.screen import Screen

from brisk_anchor.core.errors import BriskAnchorError

if TYPE_CHECKING:
    from brisk_anchor.tui.entry import Question, Words

Found = TypeVar("Found")


class FrameStage(Protocol):
    """Telling, asking and working beside the screen. Calls take effect at once."""

    @property
    def folder(self) -> Path:
        """Where sheets and files go."""

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

    def show_all(self, *, keep_prompt: bool = False) -> None:
        """Bring frame and view up to date."""

    def open_sheet(self, sheet: Screen[None]) -> None:
        """Lay a sheet on top of the view."""

    def in_background(self, work: Callable[[], None], name: str) -> None:
        """Run what takes long in a thread; what runs under the same name is given up for it."""

    def beside(self, telling: str, work: Callable[[], Found], show: Callable[[Found], None]) -> None:
        """Do in a thread what takes long; then show what came of it, or say why nothing did."""

    def tell_written(self, paths: Sequence[Path]) -> None:
        """Say which files were written."""

    def from_background(self, show: Callable[[], None]) -> None:
        """Show something from such a thread; nothing where the application has ended."""
