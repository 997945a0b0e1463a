"""Somebody at a control that stands elsewhere, who does something else while a program is on its way.

A shop of the demo, on a control of either language, in mm or inches, that prints or gives its variables. Programs are
handed over, and before their report comes rows are measured, typed, put out of date, the part clamped anew, tables
changed by hand at the control, the application restarted. After every step a row that may run is held by the control as
the book says, as far as the control was asked; what a person typed still waits; what is out of date does not stand as
proved. `python -m benchmarks orders [--count N]` exits 1 where that is not so, or anything but a refusal came.
"""

from __future__ import annotations

import random
import re
import sys
import tempfile
import time
import traceback
from collections import Counter
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path

from benchmarks import told_all
from brisk_anchor.book.entries import RowState
from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.link.settings import feed_of
from brisk_anchor.services.demo.demo_job import demo_shop
from brisk_anchor.services.measure.measurement_request import point_at
from brisk_anchor.services.offsets.offset_book import edit, undo
from brisk_anchor.services.orders.listening import Ear
from brisk_anchor.services.orders.orders import Orders
from brisk_anchor.services.plan.plan_file import plan_of_features
from brisk_anchor.services.served.serving import ServedMachine
from brisk_anchor.services.session.job_opening import open_job

COUNT = 60
ROWS = ("G54", "G54", "G55")
STEPS = (
    *["complete"] * 4,
    *["store"] * 3,
    *["prove"] * 2,
    *("measure", "write", "plan", "table", "hand", "restart", "drain"),
)
MEANWHILE = ("nothing", "nothing", "type", "undo", "datum", "clamp", "probe", "restart")
NEAR = 0.003
"""So near, mm, control and book have to agree: what is printed, twice, and what the control's own sums differ by."""


def _shop(folder: Path, profile: str, *, inches: bool) -> Path:
    """The demo's shop with a control of its own."""
    job = demo_shop(folder / "shop")
    text = resources.files("brisk_anchor.nc.profile").joinpath("shipped", f"{profile}.toml").read_text("utf-8")
    if inches:
        text = re.sub(r"(?m)^(safe = .*)G21", r"\1G20", text.replace('units = "mm"', 'units = "inch"', 1))
    (job / "own.toml").write_text(text, encoding="utf-8")
    machine = job / "machine.toml"
    words = machine.read_text(encoding="utf-8").replace('profile = "skip-macro"', 'profile = "own.toml"')
    if profile == "probe-params":
        words = words.replace('reports = "files"\nreport_file = "control/printed.txt"', 'reports = "nothing"')
    machine.write_text(words, encoding="utf-8")
    return job


@dataclass
class _Person:
    """Somebody at a window, with the machine at the other end."""

    folder: Path
    data: Path
    draw: random.Random
    told: Counter[str] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)
    done: list[str] = field(default_factory=list)
    typed: dict[str, dict[str, float]] = field(default_factory=dict)
    """What was typed for a row and nothing has replaced since."""
    by_hand: set[str] = field(default_factory=set)
    """Rows that were changed at the control since its table was read."""

    def __post_init__(self) -> None:
        self.served = ServedMachine(self.folder, self.data, auto=True, speed=1e6)
        self.said: list[str] = []
        self.served.told = self.said.append
        self.saved = self.folder / "control" / "variables.txt"
        self.open()

    def open(self) -> None:
        """Open the job in a window."""
        self.session = open_job(self.folder, self.data, roll=0)
        self.orders = Orders(self.session, self.folder, self.data)
        feed = feed_of(self.session.link_settings, self.session.wire, self.orders.kept.mark)
        self.ear = Ear(feed) if feed is not None else None  # a control that prints nothing gives its variables

    def close(self) -> None:
        """Leave it."""
        self.session.close()
        if self.ear is not None:
            self.ear.feed.close()

    def run(self) -> None:
        """Let the far machine run what was handed over."""
        self.said.clear()
        until = time.monotonic() + 3
        while time.monotonic() < until:
            self.served.pass_time(0.05)
            if any("has ended" in words or "larm" in words or "guard" in words for words in self.said):
                return

    def hear(self) -> None:
        """Take what has come."""
        outcomes = []
        if self.saved.exists():
            data = self.saved.read_bytes()
            self.saved.unlink()
            outcomes += self.orders.take_variables(data, "variables.txt")
        for _ in range(3 if self.ear is not None else 0):
            outcomes += [self.orders.arrived(run) for run in self.ear.hear(0.01)]
        for outcome in outcomes:
            self.told["again" if outcome.again else "not taken" if outcome.error else "taken"] += 1
            self.done.append(f"    {outcome.words[0]}")

    def measure(self, name: str) -> None:
        """Measure a drawn feature, to its report."""
        session = self.session
        drawn = next(feature for feature in session.setup.features if feature.name == name)
        self.orders.measure(session.planner.measurement_of(point_at(session.setup, drawn)))
        self.run()
        self.hear()

    def change(self, what: str, row: str) -> None:
        """Something that is done while a program is on its way. Raises BriskAnchorError: it was refused."""
        session, draw = self.session, self.draw
        match what:
            case "type":
                edit(session, row, {draw.choice("xyz"): draw.uniform(-300, -100)}, "a person says so")
                self.typed[row] = self.waiting(row)
            case "undo":
                undo(session, row)
                self.typed[row] = self.waiting(row)
            case "datum":
                feature = draw.choice(session.setup.features).name
                session.datums.take_datum(row, draw.choice("xyz"), feature, onto=draw.random() < 0.5)
            case "clamp":
                session.editor.clamp()
            case "probe":
                session.editor.probe_changed()
            case "restart":
                self.close()
                self.open()

    def waiting(self, row: str) -> dict[str, float]:
        """The newest values of a row."""
        valued = self.session.ledger.valued(row)
        return dict(valued.values) if valued is not None else {}

    def do(self, step: str, row: str) -> None:
        """One step. Raises BriskAnchorError: it was refused."""
        session, orders = self.session, self.orders
        match step:
            case "complete":
                for name in session.rows.missing(row):
                    self.typed.pop(row, None)
                    self.measure(name)
                return
            case "measure":
                self.typed.clear()
                self.measure(self.draw.choice(session.setup.features).name)
                return
            case "restart" | "drain":
                self.change(step, row)
                return
            case "hand":
                self.served.control.machine.write_offset(row, tuple(self.draw.uniform(-300, -100) for _ in range(3)))
                self.by_hand.add(row)
                return
            case "store":
                orders.store(row)
                self.typed.pop(row, None)
            case "write":
                orders.write_rows([row])
                self.typed.pop(row, None)
            case "prove":
                self.told["proofs"] += 1
                orders.prove(row)
            case "plan":
                orders.plan(plan_of_features(f"{row} by plan", row, list(session.setup.row(row).features)))
                self.typed.pop(row, None)
            case "table":
                orders.read_table()
        self.told["handed over"] += 1
        first = self.draw.random() < 0.5
        if first:
            self.run()
        meanwhile = self.draw.choice(MEANWHILE)
        self.done.append(f"  meanwhile {meanwhile}")
        try:
            self.change(meanwhile, row)
        finally:
            if not first:
                self.run()
            self.hear()
        if step == "table":
            self.by_hand.clear()

    def look(self, done: str) -> None:
        """Compare the book with what the control holds."""
        session, machine = self.session, self.served.control.machine
        for row, values in self.typed.items():
            if self.waiting(row) != values:
                self.wrong.append(f"{done}: {row} was typed as {values}, and stands at {self.waiting(row)}")
        for row in session.ledger.rows:
            state, values = session.rows.state(row), self.waiting(row)
            if row in self.by_hand or not state.may_run or not session.real or not session.real.knows(row):
                continue
            self.told["rows compared"] += 1
            for axis, held in zip("xyz", machine.offset(row), strict=True):
                if axis in values and abs(values[axis] - held) > NEAR:
                    self.wrong.append(f"{done}: {row} {state.value} {axis} is {values[axis]:.4f}, control {held:.4f}")
            self.looked_at_rules(done, row, state, values)

    def looked_at_rules(self, done: str, row: str, state: RowState, values: dict[str, float]) -> None:
        """Compare a stored row with what its features give now, where none of it was typed."""
        stored = self.session.ledger.chain_of_values(row)
        chain = self.session.solver.chain(row)
        if chain is None or stored is None or not stored.features or self.session.rows.missing(row):
            return
        for axis in chain.axes:
            if axis.written and axis.axis in values and abs(axis.value - values[axis.axis]) > NEAR:
                words = f"{values[axis.axis]:.4f}, its features give {axis.value:.4f}"
                self.wrong.append(f"{done}: {row} {state.value} {axis.axis} is {words}")


def _work(number: int) -> tuple[Counter[str], list[str]]:
    draw = random.Random(number)
    profile, inches = draw.choice(["skip-macro", "probe-params"]), draw.random() < 0.4
    with tempfile.TemporaryDirectory() as name:
        person = _Person(_shop(Path(name), profile, inches=inches), Path(name) / "data", draw)
        for _ in range(draw.randint(8, 20)):
            step, row = draw.choice(STEPS), draw.choice(ROWS)
            person.done.append(f"{step} {row}")
            try:
                person.do(step, row)
            except BriskAnchorError as error:
                person.told[f"refused: {type(error).__name__}"] += 1
                person.done.append(f"    {error.one_line()[:120]}")
            except Exception:  # noqa: BLE001  whatever it is, it is what is looked for
                person.wrong.append(f"{step}: {traceback.format_exc()[-900:]}")
            person.look(step)
            if person.wrong:
                person.wrong += person.done
                break
        person.close()
        person.served.close()
    kind = f"{profile}, {'inches' if inches else 'mm'}"
    return person.told, [f"shop {number} ({kind}): {words}" for words in person.wrong]


def main() -> None:
    """Run and print (`--count N` shops); exits 1 where book and control differ, or a person's figure was lost."""
    count = int(sys.argv[sys.argv.index("--count") + 1]) if "--count" in sys.argv else COUNT
    first = int(sys.argv[sys.argv.index("--first") + 1]) if "--first" in sys.argv else 0
    told: Counter[str] = Counter()
    wrong: list[str] = []
    for number in range(first, first + count):
        here, errors = _work(number)
        told += here
        wrong += errors
    print(f"  {count} shops, {told['handed over']} programs, {told['rows compared']} rows compared")
    told_all(told, wrong, enough=bool(told["rows compared"] and told["taken"]))
