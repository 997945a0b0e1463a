"""An order: a program that was handed to a control, with what its report is for. A file each, in the job's folder."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import field
from datetime import UTC, datetime
from enum import Enum
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from brisk_anchor.core.errors import ExportError, ReportError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import read_at_most
from brisk_anchor.nc.programs.heard import Heard
from brisk_anchor.nc.programs.program import ResultLine

FOLDER = "orders"
_LONGEST = 60_000_000
_MOST_SEEN = 1000
_PATIENCE = 5.0


def _printable(text: str) -> str:
    return "".join(c for c in text if c.isprintable())


Words = Annotated[str, AfterValidator(_printable)]
"""Words that are shown: without what a terminal would act on, whoever wrote the file."""


class Kind(Enum):
    """What a report is for."""

    MEASURE = "measure"
    REPEAT = "repeat"
    SET_ROWS = "set rows"
    PLAN = "plan"
    READ_TABLE = "read table"
    WEAR = "wear"
    PROVE = "prove"
    TOOL_LENGTH = "tool length"


class OrderState(Enum):
    """How an order stands."""

    WAITING = "waiting"
    TAKEN = "taken"
    GIVEN_UP = "given up"


class RowOrder(BaseModel):
    """A row that a program sets or proves, as it stood when the program was handed over.

    `chain`: the figures it is set to, as the book keeps them; "" where the control works them out, or sets nothing.
    `entries`: how many the book had of it, and `counted` what its value counted with; nobody knows them of old orders.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)
    row: str
    chain: str = ""
    entries: int | None = None
    counted: str = ""


class WearOrder(BaseModel):
    """A wear that a program changes: of which tool and what, old and new, mm; by which number of the drawing.

    Of a row it says what the part asked for: `row` is that row and axis, and the figures stand in the order's rows.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)
    tool: int
    column: str
    old: float
    new: float
    balloon: str
    reason: str = ""
    row: str = ""

    @property
    def by(self) -> str:
        """What it changes, in words."""
        return self.row or f"T{self.tool} {self.column}"


class Order(BaseModel):
    """One order. `text` is the program as it was handed over, `report` the lines that were taken."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)
    form: Literal["brisk-anchor-order-1"] = "brisk-anchor-order-1"
    kind: Kind
    title: Words
    program: int
    identity: int
    text: str
    at: datetime
    clamped: str
    machine: str
    job: str
    who: Words = ""
    where: Words = ""
    touches: int = 0
    results: list[ResultLine] = []
    """Lines to be filled in from the control's variables, where it prints nothing."""
    measurement: Measurement | None = None
    measurements: list[Measurement] = []
    row: str = ""
    tool: int = 0
    rows: list[RowOrder] = Field(default=[])
    counted: str = ""
    """What a tool's length counts with: the setter, its reference, and whether the tool is whole."""
    plan: str = ""
    wear: WearOrder | None = None
    state: OrderState = OrderState.WAITING
    taken_at: datetime | None = None
    report: list[str] = []
    told: Words = ""

    @property
    def key(self) -> str:
        """Its name: when, which program."""
        return f"{self.at.astimezone(UTC):%Y%m%d-%H%M%S-%f}-o{self.program:04d}-{self.identity:06d}"

    @property
    def label(self) -> str:
        """Its program as a person says it."""
        return f"O{self.program:04d}"


def digest_of(lines: Sequence[str]) -> str:
    """By which a report is known again."""
    return hashlib.sha256("\n".join(lines).encode()).hexdigest()[:16]


@dataclass(slots=True)
class Kept:
    """What is kept beside the orders: the clamping they belong to, how far was heard, which reports were taken."""

    clamped: str = ""
    mark: dict[str, Any] = field(default_factory=dict)
    seen: list[str] = field(default_factory=list)

    def see(self, digest: str) -> None:
        """Note that a report was taken."""
        self.seen = [*self.seen, digest][-_MOST_SEEN:]


class OrderFolder:
    """The orders of a job, as files that every window on the job reads."""

    def __init__(self, job_folder: Path) -> None:
        self.path = job_folder / FOLDER
        self._read: dict[str, tuple[tuple[int, int], Order]] = {}
        self._all: tuple[int, list[Order]] | None = None
        """The orders as they were read, and when the folder had changed last by then."""

    @contextmanager
    def held(self) -> Iterator[None]:
        """Keep others from changing orders meanwhile. Raises ExportError: somebody holds them too long."""
        from filelock import FileLock, Timeout

        try:
            self.path.mkdir(parents=True, exist_ok=True)
            with FileLock(self.path / ".lock", timeout=_PATIENCE):
                yield
        except Timeout:
            raise ExportError("Another window holds the orders of this job", "Nothing was taken", "Try again") from None
        except OSError as error:
            raise ExportError(f"{self.path} cannot be used", str(error.strerror or error), "Look at it") from None

    def all(self, *, fresh: bool = False) -> list[Order]:
        """Every order, oldest first; files that are none are passed over.

        The screen asks often: unless it is to be `fresh`, a folder that has not changed is not read again.
        """
        try:
            changed = self.path.stat().st_mtime_ns
        except OSError:
            return []
        if fresh or self._all is None or self._all[0] != changed:
            self._all = changed, self._found()
        return list(self._all[1])

    def _found(self) -> list[Order]:
        found = []
        for path in sorted(self.path.glob("*.order.json")):
            try:
                status = path.stat()
                mark = (status.st_size, status.st_mtime_ns)
                if path.name not in self._read or self._read[path.name][0] != mark:
                    order = Order.model_validate_json(read_at_most(path, _LONGEST))
                    self._read[path.name] = (mark, order)
                found.append(self._read[path.name][1])
            except (OSError, ValidationError, ValueError):
                continue
        return found

    def write(self, order: Order) -> None:
        """Keep an order. Raises ExportError."""
        self._all = None
        write_whole(self.path / f"{order.key}.order.json", order.model_dump_json(indent=1).encode())

    def kept(self) -> Kept:
        """What is kept beside them; nothing where that cannot be read."""
        try:
            data = json.loads(read_at_most(self.path / "heard.json", 4_000_000))
            return Kept(str(data["clamped"]), dict(data["mark"]), [str(item) for item in data["seen"]])
        except (OSError, ValueError, KeyError, TypeError):
            return Kept()

    def keep(self, kept: Kept) -> None:
        """Keep that. Raises ExportError."""
        data = {"clamped": kept.clamped, "mark": kept.mark, "seen": kept.seen}
        write_whole(self.path / "heard.json", json.dumps(data).encode())

    # -- reports that were heard elsewhere ---------------------------------------------------------------------------

    def offer(self, heard: Heard) -> Path:
        """Lay a report here that another window, or another job's, has heard. Raises ExportError."""
        path = self.path / "offered" / f"{digest_of(heard.lines)}.txt"
        if path.exists():
            return path  # the same report: its name is what it says
        return write_whole(path, ("\n".join(heard.lines) + "\n").encode())

    def offered(self) -> list[Path]:
        """What was laid here."""
        folder = self.path / "offered"
        return sorted(folder.glob("*.txt")) if folder.is_dir() else []

    def drop_offered(self, digest: str) -> None:
        """Take away what was laid here, by its digest; what cannot be taken away is known by its digest again."""
        with suppress(OSError):
            (self.path / "offered" / f"{digest}.txt").unlink(missing_ok=True)

    def belongs(self, heard: Heard) -> bool:
        """Whether an order here has that program."""
        return any((o.program, o.identity) == (heard.program, heard.identity) for o in self.all(fresh=True))


def order_for(orders: Sequence[Order], heard: Heard) -> Order:
    """The order that a report belongs to: the newest that waits, else the newest.

    Raises:
        ReportError: none has that program.
    """
    own = [order for order in orders if (order.program, order.identity) == (heard.program, heard.identity)]
    waiting = [order for order in own if order.state is OrderState.WAITING]
    if not own:
        same = [order for order in orders if order.program == heard.program]
        raise ReportError(
            f"The report of O{heard.program:04d} belongs to no program of this job",
            "A program of that number was handed over, but it was another one" if same else "",
            "Nothing was taken; run the program that was handed over last" if same else "Look which job it is of",
        )
    return (waiting or own)[-1]
