"""Options that several commands have."""

from __future__ import annotations

import typer

from brisk_anchor.core.quantities import Unit, unit_named


def unit_option(word: str | None) -> Unit | None:
    """The unit that was said, None where none was. Raises BadParameter: it is none."""
    unit = unit_named(word) if word is not None else None
    if word is not None and unit is None:
        raise typer.BadParameter(f"“{word}” is no unit: mm or inch")
    return unit
