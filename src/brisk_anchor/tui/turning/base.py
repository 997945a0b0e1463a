"""What all views of a lathe have in common, and what they may ask of the application."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Protocol

from brisk_anchor.tui.composed import Composed
from brisk_anchor.tui.frame_stage import FrameStage

if TYPE_CHECKING:
    from brisk_anchor.services.turning.turning_session import TurningSession

Handlers = Mapping[str, Callable[..., None]]
"""How each action is done, by its name in the table; it is called with the arguments the table has."""


class TurningStage(FrameStage, Protocol):
    """What a view of a lathe may ask of the application. Calls take effect at once."""

    @property
    def session(self) -> TurningSession | None:
        """The job at work; None until it is open."""

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """The next thing to do in the view that is shown, in two sentences."""


class TurningPanel(Composed):
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
