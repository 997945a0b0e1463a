"""A lathe's zeros on the stand-in: bias, scatter and what the ± covers, method by method; keys for Z by difference."""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import replace
from unittest.mock import patch

import numpy as np

from brisk_anchor.core.turning.zero import Method, Proposal
from brisk_anchor.services.turning.turning_samples import sample_job
from brisk_anchor.services.turning.turning_session import TurningSession

SETUPS = 2000


def _session(number: int) -> TurningSession:
    """A set-up of its own: the chuck's face off by what is usual, gauges and hand drawn within what is stated."""
    job = sample_job()
    random = np.random.default_rng([11, number])
    shift = float(random.normal(0.0, 0.3))
    # What is real does not lie on the steps of a display: each tool reaches a fraction of one further, or less far.
    off = {offset: random.uniform(-0.0005, 0.0005, 2) for offset in job.reality.geometry}
    real_geometry = {
        offset: (x + float(off[offset][0]), z + float(off[offset][1]))
        for offset, (x, z) in job.reality.geometry.items()
    }
    reality = replace(job.reality, chuck_shift=shift, geometry=real_geometry)
    session = TurningSession(replace(job, reality=reality), None, seed=number)
    session.machine.tables.geometry[1] = real_geometry[1]
    session.home()
    session.bring_near()
    return session


def _cut(session: TurningSession, method: Method) -> Proposal:
    """Cut and measure; what is proposed."""
    session.spindle()
    cut = float(np.random.default_rng([12, session.machine.motions.__len__()]).uniform(0.2, 0.9))
    if method is Method.FACE:
        session.cut_face(round(cut, 3))
    else:
        session.cut_along(10.0, round(1.0 + cut, 3))
    session.spindle()
    begun = session.zero.begin(method)
    seen = session.zero.reading(begun)
    assert seen is not None
    return session.zero.measured(seen)


def _face(session: TurningSession) -> tuple[Proposal, float]:
    return _cut(session, Method.FACE), session.machine.true_zero


def _turn(session: TurningSession) -> tuple[Proposal, float]:
    session.machine.tables.geometry[1] = (0.0, session.machine.tables.geometry[1][1])
    return _cut(session, Method.TURN), session.machine.reality.geometry[1][0]


def _second_tool(session: TurningSession, offset: int) -> None:
    """Face and diameter by T1, then another tool before the part."""
    _cut(session, Method.FACE)
    session.zero.store()
    _cut(session, Method.TURN)
    session.zero.store()
    session.to_index_place()
    session.turn_turret(session.job.setup.tool(offset))
    session.bring_near()


def _felt_face(session: TurningSession) -> tuple[Proposal, float]:
    _second_tool(session, 3)
    x, z = session.machine.place
    session.machine.jog((x - 30.0, z), 500.0)
    session.touch(Method.FELT_FACE)
    face = session.zero.face_in_program
    assert face is not None
    return session.zero.measured(face.value), session.machine.reality.geometry[3][1]


def _beside(session: TurningSession) -> float:
    """Beside the diameter that was turned; the diameter as it was measured."""
    session.machine.jog((session.machine.place[0], session.machine.place[1] - 9.0), 500.0)
    known = session.zero.known_diameter(bore=False)
    assert known is not None
    return known.value


def _felt_diameter(session: TurningSession) -> tuple[Proposal, float]:
    _second_tool(session, 3)
    diameter = _beside(session)
    session.touch(Method.FELT_DIAMETER)
    return session.zero.measured(diameter), session.machine.reality.geometry[3][0]


def _whisker(session: TurningSession) -> tuple[Proposal, float]:
    _second_tool(session, 3)
    diameter = _beside(session)
    session.spindle()
    session.touch(Method.WHISKER)
    return session.zero.measured(diameter), session.machine.reality.geometry[3][0]


METHODS: dict[str, Callable[[TurningSession], tuple[Proposal, float]]] = {
    "face, Z of the work offset": _face,
    "turned diameter, X geometry": _turn,
    "feeler on the face, Z geometry": _felt_face,
    "feeler on the diameter, X": _felt_diameter,
    "whisker on a diameter, X": _whisker,
}


def main() -> None:
    """Run every method over so many set-ups (`--setups N`)."""
    count = int(sys.argv[sys.argv.index("--setups") + 1]) if "--setups" in sys.argv else SETUPS
    print(f"{count} set-ups each; of the ±, 95.45 % are wanted")
    with patch("brisk_anchor.services.turning.zero_finder.look_at_gauge", return_value=[]):
        for name, method in METHODS.items():
            errors, inside, spreads = [], 0, []
            for number in range(count):
                proposal, true = method(_session(number))
                error = proposal.value - true
                spread = proposal.total.result.expanded
                errors.append(error)
                spreads.append(spread)
                inside += abs(error) <= spread
            bias, scatter = float(np.mean(errors)), float(np.std(errors))
            print(
                f"  {name:<32} bias {1000 * bias:+6.2f} µm (its own σ {1000 * scatter / count**0.5:.2f})   scatter "
                f"{1000 * scatter:6.2f} µm   ± {1000 * float(np.median(spreads)):6.2f} µm   "
                f"covers {100 * inside / count:.2f} %"
            )
    print("  Z by difference after the cut: f, the figure, Enter, Enter: 3 keys and the digits")
