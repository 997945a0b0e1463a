"""A control that stands elsewhere as a `ControlLink`: what it was told to hold, and how long ago it said so.

Nothing here can move a machine or change its tables: programs are put where a person finds them, and only what the
control itself has printed, or a file that it saved, counts as what it holds. The twin keeps these figures.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import field
from datetime import UTC, datetime
from pathlib import Path

from brisk_anchor.core.errors import ExportError, GuardError, PlanError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.checks import ControlCondition
from brisk_anchor.core.quantities import age_words
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import read_at_most
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.machine.outlet import Outlet
from brisk_anchor.services.machine.ports import ActiveRow
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.machine.stand_in_link import StandInLink

_LONGEST = 2_000_000
_FORM = "brisk-anchor-control-told-1"


@dataclass(slots=True)
class Told:
    """When the control last said something: of each row, of tool lengths, of the active row; kept in a file."""

    path: Path | None = None
    rows: dict[str, datetime] = field(default_factory=dict)
    lengths: dict[int, datetime] = field(default_factory=dict)
    active: ActiveRow = field(default_factory=lambda: ActiveRow(""))
    heard: datetime | None = None
    """When anything was heard last."""
    failed: ExportError | None = None

    @classmethod
    def load(cls, path: Path | None) -> Told:
        """What a file says; nothing is known where it cannot be read."""
        told = cls(path)
        if path is None:
            return told
        try:
            data = json.loads(read_at_most(path, _LONGEST))
            if data["form"] != _FORM:
                return told
            told.rows = {str(row): datetime.fromisoformat(at) for row, at in data["rows"].items()}
            told.lengths = {int(number): datetime.fromisoformat(at) for number, at in data["lengths"].items()}
            if data["active"]:
                told.active = ActiveRow(str(data["active"][0]), datetime.fromisoformat(data["active"][1]))
            told.heard = datetime.fromisoformat(data["heard"]) if data["heard"] else None
        except (OSError, ValueError, KeyError, TypeError, AttributeError):
            return cls(path)
        return told

    def save(self) -> None:
        """Keep it; `failed` says where that could not be."""
        if self.path is None:
            return
        data = {
            "form": _FORM,
            "rows": {row: at.isoformat() for row, at in self.rows.items()},
            "lengths": {str(number): at.isoformat() for number, at in self.lengths.items()},
            "active": [self.active.row, self.active.known_at.isoformat()] if self.active.known_at else [],
            "heard": self.heard.isoformat() if self.heard else "",
        }
        try:
            write_whole(self.path, json.dumps(data).encode())
        except ExportError as error:
            self.failed = error
        else:
            self.failed = None


class RealLink:
    """A real control as a `ControlLink`."""

    def __init__(self, twin: StandInLink, outlet: Outlet, told: Told) -> None:
        self._twin = twin
        self.profile = twin.profile
        self.outlet = outlet
        self.told = told
        self.stands: Vector | None = None
        """Where a person said that the spindle stands, machine mm."""

    # -- what is known of it ---------------------------------------------------------------------------------------

    @property
    def spindle(self) -> Vector:
        """Where a person said that it stands; at home, where nobody did."""
        return self.stands or self._twin.spindle

    @property
    def angles(self) -> Mapping[str, float]:
        """Where rotary axes are taken to stand."""
        return self._twin.angles

    @property
    def tool_in_spindle(self) -> int:
        """The tool that is taken to be in the spindle: programs look, or stop for a person."""
        return self._twin.tool_in_spindle

    @property
    def turned_round(self) -> bool:
        """Whether the spindle is taken to stand turned half round."""
        return self._twin.turned_round

    @property
    def active(self) -> ActiveRow:
        """The row that the control, or a person, said last is active."""
        return self.told.active

    @property
    def condition(self) -> ControlCondition:
        """Nothing is known of it: the programs look for themselves."""
        return ControlCondition()

    def used_by_held_program(self, row: str) -> str:
        """Nobody knows: ""."""
        return ""

    def tell_active(self, row: str) -> None:
        """Note which row is active."""
        self.told.active = ActiveRow(row, datetime.now(UTC))
        self.told.save()

    def knows(self, row: str) -> bool:
        """Whether the control ever said what a row holds."""
        return row in self.told.rows

    def age(self, row: str) -> str:
        """How old what is known of a row is: "14 min ago", or "never read"."""
        at = self.told.rows.get(row)
        return "never read" if at is None else _ago(at)

    def is_old(self, row: str, minutes: float) -> bool:
        """Whether what is known of a row is older than so many minutes, or nothing is."""
        at = self.told.rows.get(row)
        return at is None or (datetime.now(UTC) - at).total_seconds() > 60 * minutes

    def offset(self, row: str) -> Vector:
        """X, Y, Z of a row as the control said last, mm."""
        return self._twin.offset(row)

    def table_values(self, row: str) -> dict[str, float]:
        """A row as the control said last: mm, and its angle, degrees."""
        return self._twin.table_values(row)

    def turn_of(self, row: str) -> float:
        """How far the control turns every position in a row, degrees."""
        return self._twin.turn_of(row)

    def tool_figure(self, number: int, column: int) -> float:
        """A figure of the tool table as it was last known, mm. Raises InspectionError: it has no such tool."""
        return self._twin.tool_figure(number, column)

    # -- what the control has said -----------------------------------------------------------------------------------

    def note_rows(self, rows: Mapping[str, Mapping[str, float]], at: datetime) -> None:
        """The control said what rows hold; an axis that it did not name stays as it was known."""
        for row, values in rows.items():
            self._twin.write_row(row, {**self._twin.table_values(row), **values})
            self.told.rows[row] = at
        self.heard(at)

    def note_lengths(self, lengths: Mapping[int, float], at: datetime) -> None:
        """The control said how long tools are, mm."""
        for number, length in lengths.items():
            self._twin.write_tool_length(number, length)
            self.told.lengths[number] = at
        self.heard(at)

    def note_active(self, row: str, at: datetime) -> None:
        """The control said which row is active."""
        self.told.active = ActiveRow(row, at)
        self.heard(at)

    def note_wear(self, wear: Mapping[tuple[int, int], float], at: datetime) -> None:
        """The control said what wear is now, mm, by tool and column."""
        for (number, column), value in wear.items():
            self._twin.write_tool_figure(number, column, value)
        if wear:
            self.heard(at)

    def heard(self, at: datetime) -> None:
        """The control said something."""
        self.told.heard = at
        self.told.save()
        self._twin.settle()

    # -- what is done to the stand-in, and not to a real control -------------------------------------------------------

    def write_row(self, row: str, values: Mapping[str, float]) -> None:
        """Nothing: what a real control holds is not ours to put back."""

    def write_tool_figure(self, number: int, column: int, value: float) -> None:
        """Raises PlanError: a real control's tables are written by its own programs."""
        raise _at_the_machine(f"the wear of T{number}")

    def write_tool_length(self, number: int, length: float) -> None:
        """Nothing: a person types it into the control's table, and its next report says what stands there."""
        self.told.lengths.pop(number, None)
        self.told.save()

    def hand_over(self, program: Program) -> None:
        """Put a program where the control finds it. Raises LinkError, ExportError."""
        self.outlet.put(program)

    def report(self) -> list[str]:
        """Nothing: reports come by themselves, and are taken as a whole."""
        return []

    def settle(self) -> None:
        """Keep what is known."""
        self._twin.settle()


class NoPanel:
    """The panel of a machine that only a person works at: everything is refused."""

    def jog(self, axis: str, distance: float) -> str:
        """Refused. Raises GuardError."""
        raise _only_there()

    def reset(self) -> None:
        """Refused. Raises GuardError."""
        raise _only_there()

    def home(self) -> None:
        """Refused. Raises GuardError."""
        raise _only_there()

    def change_tool(self, number: int) -> None:
        """Refused. Raises GuardError."""
        raise _only_there()

    def turn_half_round(self, *, turned: bool) -> None:
        """Refused. Raises GuardError."""
        raise _only_there()

    def mdi(self, line: str) -> Run:
        """Refused. Raises GuardError."""
        raise _only_there()

    def start(self) -> Run:
        """Refused. Raises GuardError."""
        raise _only_there()

    def start_loaded(self, title: str, loaded: Program | str) -> Run:
        """Refused. Raises GuardError."""
        raise _only_there()


def _only_there() -> GuardError:
    return GuardError(
        "This machine is worked at its own control", "Nothing here moves it or starts a program", "Do it there"
    )


def _at_the_machine(what: str) -> PlanError:
    return PlanError(f"The control keeps {what}", "Nothing here writes its tables", "Type it there, or run a program")


def _ago(at: datetime) -> str:
    age = age_words((datetime.now(UTC) - at).total_seconds())
    return age if age == "now" else f"{age} ago"
