"""The path of a plan's program and its sheet, put into files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from brisk_anchor.core.errors import ExportError
from brisk_anchor.core.key_marks import plain
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.rules import features_in
from brisk_anchor.core.quantities import bare, deg, dim, num, signed_deg
from brisk_anchor.drawings.paper import PAPERS
from brisk_anchor.drawings.plan import Leg, PlanContent, path_drawing, plan_sheet
from brisk_anchor.exchange.files import write_each
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.plan.plan_proof import PlanProof, read_proof
from brisk_anchor.services.plan.planning import Planned, Step, program_of
from brisk_anchor.services.plan.proof_basis import basis_of
from brisk_anchor.services.plan.proving import rehearse
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.motion import Motion, MoveKind, motions_at


def write_plan_sheets(
    session: Session, ready: Planned, plan: Path, folder: Path, paper: str = "a4", proof: PlanProof | None = None
) -> list[Path]:
    """Write the path drawing and the sheet of a plan as SVG and PDF; where the table turns, a drawing for each angle.

    Raises:
        PlanError, SecondLookError: it cannot be written. ExportError: a file cannot be, or there is no such paper.
    """
    if paper not in PAPERS:
        raise ExportError(f"There is no paper “{paper}”", "Nothing was drawn", f"One of {', '.join(PAPERS)}")
    program = program_of(session, ready)
    proof = proof or read_proof(plan)
    paths: list[Path] = []
    stem = plan.stem.removesuffix(".plan").lower()
    contents = {
        table: content_of(session, ready, program, proof, table)
        for table in dict.fromkeys(m.options.table for m in ready.measurements) or {(): None}
    }
    drawn = [(f"path-{stem}{_suffix(table)}", content, path_drawing) for table, content in contents.items()]
    for name, content, draw in (*drawn, (f"plan-{stem}", drawn[0][1], plan_sheet)):
        paths += write_each(folder, name, draw(content, paper))
    return paths


def _suffix(table: tuple[tuple[str, float], ...]) -> str:
    return "".join(f"-{letter.lower()}{angle:g}" for letter, angle in table if angle)


def legs_of(motions: Sequence[Motion], length: float) -> list[Leg]:
    """Moves of the spindle as legs of the tip of a tool of that length, mm; what waits is left out."""
    legs = []
    for motion in motions:
        if motion.kind is MoveKind.DWELL or motion.start == motion.end:
            continue
        touching = motion.contact is not None or motion.kind is MoveKind.FEED
        kind = "rapid" if motion.kind is MoveKind.RAPID else "touching" if touching else "guarded"
        start, end = ((x, y, z - length) for x, y, z in (motion.start, motion.end))
        legs.append(Leg(kind, start, end, motion.contact))
    return legs


def content_of(
    session: Session,
    ready: Planned,
    program: Program,
    proof: PlanProof | None,
    table: tuple[tuple[str, float], ...] = (),
) -> PlanContent:
    """What the drawings show: the path is that of the set-up as it stands, with the table at the angles of `table`."""
    _, run, times = rehearse(session, ready)
    setup, motions = ready.setup, run.machine.motions
    if table:
        motions = motions_at(motions, session.link.angles, dict(table))
        setup = replace(setup, outlines=session.scene.outlines_at(dict(table)))
    length = setup.stylus.length
    clock = []
    if times is not None:
        clock = [f"{num(times.total, 0)} s, at the least {num(times.least, 0)} s for the same touches"]
        clock += [f"{words} {num(seconds, 1)} s" for words, seconds in times.shares() if seconds]
    looks = [plain(f"{look.found}. {look.do}.") for look in ready.all_looks] or ["nothing found"]
    tools = [f"T{check.number} {check.name}: within {dim(check.tolerance)} of its length" for check in ready.tools]
    basis = basis_of(session, program.digest, ready.plan)
    words = proof.words(basis) if proof is not None else "not proved"
    notes = [
        ("Probe", (f"T{setup.stylus.tool_number} {setup.stylus.name}, ball ⌀{dim(setup.stylus.ball_diameter)}",)),
        *([("Tools looked at first", tuple(tools))] if tools else []),
        ("Proof", (words,)),
        ("Time", tuple(clock)),
        ("Second look", tuple(looks)),
    ]
    places: list[tuple[int, Vector]] = []
    for number, m in enumerate(ready.measurements, 1):
        if m.options.table == table:
            x, y, z = m.start
            places.append((number, (x, y, z - length)))
    angles = "".join(f"  ·  {letter} {signed_deg(angle)}" for letter, angle in table)
    return PlanContent(
        setup=setup,
        title=f"{ready.plan.name}{angles}",
        program=f"{program.label}  {program.digest[:12]}",
        proof=f"All figures in mm, machine coordinates of the tip. {program.label}: {words}.",
        legs=tuple(legs_of(motions, length)),
        places=tuple(places),
        rows=tuple(_row(number, step, ready) for number, step in enumerate(ready.steps, 1)),
        notes=tuple(notes),
    )


def _row(number: int, step: Step, ready: Planned) -> tuple[str, ...]:
    m = step.measurement
    size = f"{m.kind.size_sign}{bare(m.size)}" if m.size else ""
    size += f" × {bare(m.size_y)}" if m.size_y else ""
    kind = f"{m.touch_count}  {m.kind.value} {size}".strip()
    figures = [f"{letter} at {deg(angle)}" for letter, angle in m.options.table]
    figures += [f"search {dim(m.search)}"]
    figures += [f"depth {dim(m.depth)}"] if m.depth else []
    figures += [f"apart {dim(m.spread)}"] if m.spread else []
    figures += [f"within ±{dim(m.size_limit)} else {m.options.on_fail}"] if m.size_limit and m.kind.is_paired else []
    return f"{number}", m.title or m.name, kind, ", ".join(figures), sets_words(step, ready)


def sets_words(step: Step, ready: Planned) -> str:
    """What a measurement sets and keeps, in words."""
    told = []
    for store in ready.stores:
        axes = "".join(axis.upper() for axis, rule in store.rules if step.name in features_in(rule))
        told += [f"{store.row} {axes}"] if axes else []
    told += [f"{letter.upper()} in #{number}" for letter, number in step.section.kept]
    return ", ".join(told)
