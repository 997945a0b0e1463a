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
    def view_state(self) -> ViewState | None:
        """The shared state, None until the job is open."""
        return self.owner.view_state

    def free_desk(self) -> ViewState | None:
        """The state of the views when nothing moves; otherwise says what to do and returns None."""
        view_state = self.view_state
        if view_state is not None and view_state.moving:
            self.owner.tell("The machine is moving. Esc stops it.", "", "ask")
            return None
        return view_state

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
