"""What all views have in common."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, cast

from textual.containers import Horizontal

from brisk_anchor.core.errors import BriskAnchorError

if TYPE_CHECKING:
    from brisk_anchor.tui.app import BriskAnchorApp
    from brisk_anchor.tui.view_state import ViewState


class View(Horizontal):
    """A view: knows the application and what all views share."""

    @property
    def owner(self) -> BriskAnchorApp:
        """The application, with its own type."""
        return cast("BriskAnchorApp", self.app)

    @property
    def desk(self) -> ViewState | None:
        """The shared state, None until the job is open."""
        return self.owner.desk

    def free_desk(self) -> ViewState | None:
        """The desk when nothing moves; otherwise says what to do and returns None."""
        desk = self.desk
        if desk is not None and desk.moving:
            self.owner.tell("The machine is moving. Esc stops it.", "", "ask")
            return None
        return desk

    def attempt(self, work: Callable[[], tuple[str, str]]) -> None:
        """Do something, show what became of it, and tell it in two sentences; or tell why it could not be."""
        try:
            told, behind = work()
        except BriskAnchorError as error:
            self.owner.show_all(keep_prompt=True)
            self.owner.complain(error)
            return
        self.owner.show_all(keep_prompt=True)
        self.owner.tell(told, behind, "good")
