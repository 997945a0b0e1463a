"""What all views have in common."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from textual.containers import Horizontal

if TYPE_CHECKING:
    from brisk_anchor.tui.app import BriskAnchorApp
    from brisk_anchor.tui.desk import Desk


class View(Horizontal):
    """A view: knows the application and what all views share."""

    @property
    def owner(self) -> BriskAnchorApp:
        """The application, with its own type."""
        return cast("BriskAnchorApp", self.app)

    @property
    def desk(self) -> Desk | None:
        """The shared state, None until the job is open."""
        return self.owner.desk
