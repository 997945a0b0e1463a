"""The forms a drawing or mesh of a part may have. A new form is a module that reads it and a line below."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from brisk_anchor.core.errors import DrawingFileError
from brisk_anchor.exchange.read_part import ReadPart
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class PartForm:
    """One form: its suffix, its name, whether it can state its unit, and how it is read.

    `read` takes the path, millimetres in one unit (None: as the file states it) and the layers that are wanted.
    """

    suffix: str
    name: str
    states_unit: bool
    read: Callable[[Path, float | None, frozenset[str] | None], ReadPart]


def _dxf(path: Path, unit: float | None, layers: frozenset[str] | None) -> ReadPart:
    from brisk_anchor.exchange.dxf import read_dxf

    return read_dxf(path, unit=unit, layers=layers)


def _stl(path: Path, unit: float | None, layers: frozenset[str] | None) -> ReadPart:
    from brisk_anchor.exchange.stl import read_stl

    return read_stl(path, unit=unit or 1.0)


PART_FORMS: tuple[PartForm, ...] = (
    PartForm(".dxf", "DXF", states_unit=True, read=_dxf),
    PartForm(".stl", "STL", states_unit=False, read=_stl),
)


def read_part_file(path: Path, unit: float | None, layers: frozenset[str] | None) -> ReadPart:
    """A drawing or mesh, by its suffix. Raises DrawingFileError: it cannot be read, or its unit is not known."""
    form = next((form for form in PART_FORMS if form.suffix == path.suffix.lower()), None)
    if form is None:
        names = " nor ".join(form.name for form in PART_FORMS)
        raise DrawingFileError(f"{path.name} is neither {names}", "", "Export it as one of them")
    if unit is None and not form.states_unit:
        raise DrawingFileError("A mesh never states its unit", "", "Say --units mm or --units inch")
    return form.read(path, unit, layers)
