"""What all views have in common, and what they may ask of the application."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping
from typing import TYPE_CHECKING, Protocol

from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.composed import Composed
from brisk_anchor.tui.frame_stage import FrameStage

if TYPE_CHECKING:
    from brisk_anchor.tui.view_state import ViewState

Handlers = Mapping[Do, Callable[..., Awaitable[None] | None]]
"""How each action is done; it is called with the arguments that the table of actions has."""


class Stage(FrameStage, Protocol):
    """What a view, or a part of one, may ask of the application. Calls take effect at once.

    They are calls and no posted messages because keys that were typed ahead must meet the line that was just opened:
    a message would come after them.
    """

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

    def next_sentence(self) -> tuple[str, str]:
        """The next thing to do, in two sentences."""

    async def go_to(self, view: str) -> None:
        """Show another view."""


class View(Composed):
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
