"""What lies over a view leaves once, and only itself."""

from __future__ import annotations

from typing import TYPE_CHECKING

from textual.await_complete import AwaitComplete

if TYPE_CHECKING:
    from textual.screen import ModalScreen

    _Over = ModalScreen[None]
else:
    _Over = object  # Textual takes styles from the first base that is a node: this one must not be one


class LeavesOnce(_Over):
    """A screen's `dismiss` takes away whatever lies on top. A key that comes late may find another screen there."""

    def dismiss(self, result: None = None) -> AwaitComplete:
        """Leave, if this screen lies on top; else nothing: it has left, or another was opened over it."""
        return super().dismiss(result) if self.app.screen is self else AwaitComplete()
