"""The file that tells how a lathe was left: tables, place, turret, the stock as it is cut. Written whole."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brisk_anchor.core.errors import Fault, MachineError, StateError
from brisk_anchor.core.turning.setup import Pair
from brisk_anchor.nc.profile.control_profile import findings_of
from brisk_anchor.services.machine.kept_file import KeptFile
from brisk_anchor.standin.lathe import LatheStandIn, LatheTables

_LONGEST = 2_000_000
_MOST_CORNERS = 20_000


class LatheState(BaseModel):
    """How a lathe was left; X as diameters, corners of the stock as (Z, radius), mm."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    form: Literal["brisk-anchor-lathe-1"]
    machine: str
    job: str
    at: Pair
    homed: bool
    station: int
    offset: int
    row: str
    work: dict[str, Pair]
    geometry: dict[int, Pair]
    wear: dict[int, Pair]
    stock: list[list[Pair]] = Field(max_length=200)
    cut_at: Pair | None = None
    cut_along: Literal["", "x", "z"] = ""
    cut_by: int = 0
    entry: int = 0
    """The newest entry of the book that was known then, and its own id."""
    uid: str = ""


class LatheFile:
    """One lathe's file; without a path nothing is kept."""

    def __init__(self, path: Path | None) -> None:
        self.path = path
        self._file = KeptFile(path, _LONGEST, "moved this lathe")
        self.mark: Callable[[], tuple[int, str]] = lambda: (0, "")
        """The newest entry of the book that is known, by its id there and its own."""
        self.left: tuple[int, str] | None = None
        """The same as it was when the lathe was left; None where it never was."""

    def load(self, lathe: LatheStandIn) -> bool:
        """Put a lathe back to how it was left; whether it ever was.

        Raises:
            StateError: the file cannot be read or is another lathe's; nothing is changed.
        """
        data = self._file.read()
        if data is None or self.path is None:
            return False
        name = self.path.name
        try:
            state = LatheState.model_validate_json(data, strict=True)
        except ValidationError as error:
            raise StateError(name, findings_of(error)) from error
        if state.machine != lathe.setup.lathe.name:
            raise StateError(name, (Fault("machine", f"it is {state.machine}, not {lathe.setup.lathe.name}"),))
        if sum(map(len, state.stock)) > _MOST_CORNERS or any(len(ring) < 3 for ring in state.stock):
            raise StateError(name, (Fault("stock", "its outline has too many corners, or too few"),))
        tables = LatheTables(dict(state.work), dict(state.geometry), dict(state.wear))
        same = state.job == lathe.setup.job
        try:
            lathe.put(state.at if same else lathe.setup.lathe.home)
            if same and state.stock:
                lathe.put_metal([tuple(ring) for ring in state.stock])
        except MachineError as error:
            lathe.put(lathe.setup.lathe.home)
            raise StateError(name, (Fault("at", error.what),)) from error
        lathe.tables, lathe.homed = tables, state.homed
        if same:
            lathe.station, lathe.offset_number, lathe.active_row = state.station, state.offset, state.row
            lathe.cut_at, lathe.cut_along, lathe.cut_by = state.cut_at, state.cut_along, state.cut_by
        self.left = state.entry, state.uid
        return True

    def compare(self) -> None:
        """Look that nobody else wrote the file since it was read or written here. Raises ExportError."""
        self._file.compare()

    def save(self, lathe: LatheStandIn) -> None:
        """Write how the lathe stands now.

        Raises:
            ExportError: another window wrote the file meanwhile, or it cannot be written.
        """
        if self.path is None:
            return
        state = LatheState(
            form="brisk-anchor-lathe-1",
            machine=lathe.setup.lathe.name,
            job=lathe.setup.job,
            at=lathe.place,
            homed=lathe.homed,
            station=lathe.station,
            offset=lathe.offset_number,
            row=lathe.active_row,
            work=lathe.tables.work,
            geometry=lathe.tables.geometry,
            wear=lathe.tables.wear,
            stock=[list(ring) for ring in lathe.metal_rings()],
            cut_at=lathe.cut_at,
            cut_along=lathe.cut_along,  # type: ignore[arg-type]
            cut_by=lathe.cut_by,
            entry=self.mark()[0],
            uid=self.mark()[1],
        )
        self._file.write(state.model_dump_json(indent=1).encode())
