"""Somebody at a mill who changes the mind: datums, middles, turns, fits, parents, clampings in any order.

A plate with every kind of feature on it lies somewhere, turned or not. Rows are set from features drawn by chance, then
datums are changed, features measured, rows stored and proved, the part clamped anew. After every store the row is where
the part really lies, within what the ± allows; every proof of what was stored holds; nothing that is out of date stands
as proved. `python -m benchmarks rows [--count N]` exits 1 where that is not so, or anything but a refusal came.
"""

from __future__ import annotations

import random
import sys
import traceback
from collections import Counter
from dataclasses import dataclass, field, replace

from benchmarks import told_all
from brisk_anchor.book.entries import RowState
from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.offsets.setup import RowPlan
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.profile.profile_proof import sample_scene
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene

COUNT = 200
ROWS = ("G54", "G55", "G56")
STEPS = ("datum", "middle", "turn", "fit", "zero", "parent", "measure", "clamp", *["complete", "store"] * 3, "prove")
SURE = 1.5
"""So many ± a stored value may lie off: beyond that it is no scatter."""
UNREAD = 0.0006
"""What nobody can see of a value, mm: steps of table and report."""
UNREAD_DEGREES = 0.0003


@dataclass
class _Person:
    """Somebody at the mill."""

    session: Session
    draw: random.Random
    told: Counter[str] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)

    def feature(self) -> str:
        """A drawn feature by chance."""
        return self.draw.choice(self.session.setup.features).name

    def begin(self) -> None:
        """Set every row from features that tell its axes."""
        plans = tuple(RowPlan(row, row, {}, 5.0) for row in ROWS)
        self.session.working.setup = replace(self.session.working.setup, rows=plans)
        for row in ROWS:
            for axis in "xyz":
                for _ in range(60):
                    try:
                        self.session.datums.take_datum(row, axis, self.feature(), onto=self.draw.random() < 0.3)
                        break
                    except BriskAnchorError:
                        continue  # it does not locate that axis: another

    def measure(self, name: str) -> None:
        """Measure a drawn feature by the probe."""
        session = self.session
        drawn = next(feature for feature in session.setup.features if feature.name == name)
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))

    def do(self, step: str, row: str) -> None:
        """One step. Raises BriskAnchorError: it was refused."""
        session, draw, axis = self.session, self.draw, self.draw.choice("xyz")
        match step:
            case "datum":
                session.datums.take_datum(row, axis, self.feature(), onto=draw.random() < 0.5)
            case "middle":
                session.datums.take_middle(row, axis, self.feature())
            case "turn":
                session.datums.take_turn(row, draw.choice([self.feature(), None]))
            case "fit":
                session.datums.take_fit(row, self.feature())
            case "zero":
                session.datums.put_zero(row, {axis: session.rows.expected(row)[axis] + draw.uniform(-20, 20)})
            case "parent":
                session.datums.take_parent(row, draw.choice(ROWS))
            case "measure":
                self.measure(self.feature())
            case "complete":
                for name in session.rows.missing(row):
                    self.measure(name)
            case "clamp":
                session.editor.clamp()
            case "store":
                self.store(row)
            case "prove":
                before = session.rows.state(row)
                proof = session.prover.prove(row)
                self.told["proofs"] += 1
                if not proof.holds:
                    self.wrong.append(f"{row}, {before.value}: the proof differs by {proof.worst:.4f} mm")
                if before is RowState.STALE:
                    self.wrong.append(f"{row} was out of date, and is {session.rows.state(row).value}")

    def store(self, row: str) -> None:
        """Store a row and compare it with where the part lies."""
        chain = self.session.writer.store(row)
        truth = self.session.solver.true_offset(row)
        for axis in chain.axes:
            if not axis.written or axis.axis not in truth:
                continue
            off, unread = axis.value - truth[axis.axis], UNREAD_DEGREES if axis.axis == "r" else UNREAD
            self.told["values"] += 1
            self.told["within ±"] += abs(off) <= 2 * axis.u + unread
            if abs(off) > SURE * 2 * axis.u + unread:
                rule = self.session.setup.row(row).rules.get(axis.axis)
                self.wrong.append(f"{row} {axis.axis.upper()} from {rule}: {off:+.4f} off, ±{2 * axis.u:.4f}")


def _work(number: int) -> tuple[Counter[str], list[str]]:
    draw = random.Random(number)
    file = sample_scene().file
    turn = draw.choice([0.0, draw.uniform(-0.4, 0.4)])
    shift = (draw.uniform(-0.4, 0.4), draw.uniform(-0.4, 0.4), draw.uniform(-0.3, 0.3))
    real = file.body[1].real.model_copy(update={"shift": shift, "turn": (0.0, 0.0, turn)})
    bodies = [file.body[0], file.body[1].model_copy(update={"real": real})]
    profile = shipped_profile(draw.choice(["skip-macro", "probe-params"]))
    session = Session(build_scene(file.model_copy(update={"body": bodies})), None, profile, seed=number)
    person = _Person(session, draw)
    person.begin()
    for _ in range(draw.randint(15, 40)):
        step = draw.choice(STEPS)
        try:
            person.do(step, draw.choice(ROWS))
        except BriskAnchorError as error:
            person.told[f"refused: {type(error).__name__}"] += 1
            if session.working.crashed:
                person.wrong.append(f"{step}: {error.one_line()}")
                break
        except Exception:  # noqa: BLE001  whatever it is, it is what is looked for
            person.wrong.append(f"{step}: {traceback.format_exc()[-600:]}")
            break
    return person.told, [f"set-up {number}: {words}" for words in person.wrong]


def main() -> None:
    """Run and print (`--count N` set-ups); exits 1 where something was stored or proved that is not so."""
    count = int(sys.argv[sys.argv.index("--count") + 1]) if "--count" in sys.argv else COUNT
    told: Counter[str] = Counter()
    wrong: list[str] = []
    for number in range(count):
        here, errors = _work(number)
        told += here
        wrong += errors
    share = 100 * told["within ±"] / max(told["values"], 1)
    print(f"  {count} set-ups, {told['values']} values stored, {share:.1f} % within their ±, {told['proofs']} proofs")
    told_all(told, wrong, enough=bool(told["values"] and told["proofs"]))
