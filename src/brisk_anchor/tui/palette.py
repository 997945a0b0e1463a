"""The palette of actions, made safe against being asked before it is there."""

from __future__ import annotations

from textual.command import CommandList, CommandPalette
from textual.worker import Worker

from brisk_anchor.tui.overlay import LeavesOnce


class Palette(LeavesOnce, CommandPalette):
    """Textual's own asks for its list as soon as it opens; on a busy machine that may not stand yet, or no longer."""

    def _gather_commands(self, search_value: str) -> Worker[None] | None:  # type: ignore[override]
        """Look for commands once the list is there; never, when the palette has gone."""
        if self.query(CommandList):
            return super()._gather_commands(search_value)
        if self.is_attached and self.is_current:
            self.set_timer(0.02, lambda: self._gather_commands(search_value))
        return None
