"""Samples of a lathe's programs, written with a profile and run on the stand-in set to it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from importlib import resources
from pathlib import Path

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.turning.setup import Pair
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.turning_plan import NearLook, TableFigure, TurningPlan
from brisk_anchor.nc.write.writer import write_turning
from brisk_anchor.services.turning.lathe_runs import run_through
from brisk_anchor.services.turning.turning_job import TurningJob, read_turning
from brisk_anchor.standin.lathe import LatheStandIn, LatheTables

_AT: Pair = (-123.457, -321.099)
"""Figures that a table is set to, ours: X a diameter."""


class TurningSampleError(BriskAnchorError):
    """A sample program did not do what it should."""


def sample_job() -> TurningJob:
    """The demo's job on the lathe, which ships. Raises JobError."""
    text = (resources.files("brisk_anchor.services") / "examples" / "sleeve" / "turning.toml").read_text("utf-8")
    return read_turning(text, Path("turning.toml"))


def turning_samples(profile: Profile) -> Iterator[tuple[str, BriskAnchorError | None]]:
    """What was tried on the lathe, and what went wrong with it; None where nothing did."""
    assert profile.lathe is not None
    job = sample_job()
    rows = [name for name, row in profile.offsets.items() if row.select]
    numbers = dict.fromkeys((1, profile.lathe.offsets))
    places = [("", 0, row) for row in dict.fromkeys((rows[0], rows[-1]))]
    tables = ["geometry", *(["wear"] if profile.lathe.wear is not None else [])]
    places += [(table, number, "") for table in tables for number in numbers]
    for table, number, row in places:
        name = row or f"T{number} {table}"
        yield f"set {name}", _problem(job, profile, table, number, row)
    yield f"go near the zero of {rows[0]}", _near(job, profile, rows[0])


def _machine(job: TurningJob) -> LatheStandIn:
    machine = LatheStandIn(job.setup, job.reality, LatheTables(), seed=None)
    machine.homed = True
    machine.put(job.setup.lathe.index_at)
    return machine


def _plan(job: TurningJob, title: str) -> TurningPlan:
    return TurningPlan(9001, title, job.setup.lathe.name, job.setup.part.name, "2026-01-01", 1)


def _problem(job: TurningJob, profile: Profile, table: str, number: int, row: str) -> BriskAnchorError | None:
    """Set a row of a table and look what the stand-in holds."""
    machine = _machine(job)
    writes = tuple(TableFigure(axis, value, row, number, table) for axis, value in zip("xz", _AT, strict=True))
    try:
        _run(replace(_plan(job, "set"), writes=writes), profile, machine)
        tables = machine.tables
        if row:
            held = machine.work(row)
        else:
            held = (tables.geometry if table == "geometry" else tables.wear).get(number, (0.0, 0.0))
        for axis, found, wanted in zip("XZ", held, _AT, strict=True):
            if abs(found - wanted) > 2.02 * profile.rounding:
                raise TurningSampleError(f"{axis} holds {dim(found, 4)}, not {dim(wanted, 4)}", "", "")
    except BriskAnchorError as error:
        return error
    return None


def _near(job: TurningJob, profile: Profile, row: str) -> BriskAnchorError | None:
    """Bring a tool near a zero that is known, and look where its real tip stands."""
    machine, tool = _machine(job), job.setup.tools[0]
    machine.tables.work[row] = (job.setup.lathe.axis_x, machine.true_zero)
    machine.tables.geometry[tool.offset] = job.reality.geometry[tool.offset]
    clear = job.setup.stock.diameter + 10.0
    look = NearLook(row, tool.station, tool.offset, clear, 8.0, (clear + 10.0, 30.0), job.setup.lathe.index_at)
    try:
        places = _run(replace(_plan(job, "look"), look=look), profile, machine)
        x, z = min(places, key=lambda place: place[1])  # a stop before the turret turns stands further out
        if max(abs(x - clear), abs(z - machine.true_zero - 8.0)) > 4 * profile.rounding:
            raise TurningSampleError(f"the tip stood at ⌀{dim(x, 3)}, Z {dim(z - machine.true_zero, 3)}", "", "")
    except BriskAnchorError as error:
        return error
    return None


def _run(plan: TurningPlan, profile: Profile, machine: LatheStandIn) -> list[Pair]:
    return run_through(write_turning(plan, profile), profile, machine)
