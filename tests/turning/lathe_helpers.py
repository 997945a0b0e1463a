"""A lathe to test with: the demo's sleeve in a folder of its own, changed where a test wants it."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from brisk_anchor.core.turning.zero import Method, Proposal
from brisk_anchor.services.turning.turning_session import TurningSession

SLEEVE = (resources.files("brisk_anchor.services") / "examples" / "sleeve" / "turning.toml").read_text("utf-8")


def sleeve(folder: Path, *changes: tuple[str, str], seed: int | None = None) -> TurningSession:
    """The demo's job with text exchanged; without a seed gauges and hands are exact."""
    text = SLEEVE
    for before, after in changes:
        assert before in text, before
        text = text.replace(before, after)
    (folder / "turning.toml").write_text(text, encoding="utf-8")
    return TurningSession.open(folder / "turning.toml", folder, seed=seed)


def ready(session: TurningSession) -> TurningSession:
    """Home, the first tool before the stock."""
    session.home()
    session.turn_turret(session.job.setup.tools[0])
    session.bring_near()
    return session


def to_work(session: TurningSession, offset: int) -> None:
    """Turn another tool to the work and bring it near."""
    session.to_index_place()
    session.turn_turret(session.job.setup.tool(offset))
    session.bring_near()


def face(session: TurningSession, off: float = 0.5, figure: float | None = None) -> Proposal:
    """Cut the face and measure it; what is proposed."""
    session.spindle()
    session.cut_face(off)
    session.spindle()
    begun = session.zero.begin(Method.FACE)
    seen = session.zero.reading(begun)
    assert seen is not None
    return session.zero.measured(seen if figure is None else figure)


def turn(session: TurningSession, figure: float | None = None, *, long: float = 15.0, off: float = 1.0) -> Proposal:
    """Cut a diameter and measure it; what is proposed."""
    session.spindle()
    session.cut_along(long, off)
    session.spindle()
    begun = session.zero.begin(Method.TURN)
    seen = session.zero.reading(begun)
    assert seen is not None
    return session.zero.measured(seen if figure is None else figure)


def store_both(session: TurningSession) -> None:
    """Cut the face and a diameter, measure both and store what they say: the zero, and the first tool."""
    face(session)
    session.zero.store()
    turn(session)
    session.zero.store()
