"""The demo job without a screen: measure, store, write, prove, draw."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from brisk_anchor.book.store import Book
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.quantities import Dimension, expanded, num, quantity, signed_num, um
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.services.measure.measurement_request import point_at
from brisk_anchor.services.offsets.sheets import write_sheets
from brisk_anchor.services.session.guide import size_words
from brisk_anchor.services.session.session import Session

DEMO_SCENE = "heron-gl114"


def _f(value: float, *, signed: bool = True) -> str:
    return quantity(value, Dimension.NUMBER, 4, signed=signed)


def run_example(folder: Path, row: str = "G54", seed: int = 1) -> Iterator[str]:
    """Do the demo job and tell each step in a line; files go to `folder`.

    Raises:
        BriskAnchorError: whatever went wrong on the way.
    """
    with Book.open(folder / "book.sqlite") as book:
        session = Session.open(DEMO_SCENE, book, seed=seed)
        setup = session.setup
        yield f"Job {setup.job}, {setup.title}, on {setup.machine.name} (stand-in), profile {session.profile.name}"
        drawn = {feature.name: feature for feature in setup.features}
        for name in session.rows.missing(row):
            measured = session.runner.measure(session.planner.measurement_of(point_at(setup, drawn[name])))
            feature = measured.feature
            places = "  ".join(
                f"{axis.upper()} {_f(value)} {expanded(feature.standard_uncertainty(axis))}"
                for axis, value in zip(feature.axes, feature.coordinates, strict=True)
            )
            worst = max(abs(a.difference) for a in measured.agreements) * 1000
            found = f"{places} mm{size_words(feature)}"
            yield f"Found   {drawn[name].title}: {found}   (control agrees within {num(worst, 2)} µm)"
        chain = session.writer.store(row)
        values = "  ".join(f"{axis.axis.upper()} {_f(axis.value)} ±{num(axis.expanded, 4)}" for axis in chain.axes)
        yield f"Stored  {row}: {values} mm"
        program = session.programs.full_program(row)
        nc = write_whole(folder / f"o{program.number:04d}.nc", program.text.encode("ascii"))
        yield f"Written O{program.number:04d}, {len(program.lines)} lines: {nc}"
        proof = session.prover.prove(row)
        if not proof.holds:
            raise PlanError(
                f"The proof of {row} ended {um(proof.worst, 1)} from the stored value",
                f"{um(proof.allowed, 1)} would be honest noise",
                "Measure again",
            )
        yield (
            f"Proved  {row}: the program ended {um(proof.worst)} from the stored value "
            f"({um(proof.allowed)} allowed), {proof.touches} touches, "
            f"{num(proof.machine_seconds, 0)} s on a machine"
        )
        truth = session.solver.true_offset(row)
        for axis in chain.axes:
            error = (axis.value - truth[axis.axis]) * 1000
            yield f"Truth   {row} {axis.axis.upper()} {_f(truth[axis.axis])} mm: stored {signed_num(error, 2)} µm off"
        for path in write_sheets(session, row, folder):
            yield f"Sheet   {path}"
        yield f"Book    {folder / 'book.sqlite'}"
