"""The demo's batch: sixty bearing caps that were cut and inspected, made up the first time it is opened."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

from brisk_anchor.services.demo.demo_job import demo_files
from brisk_anchor.services.job.characteristics import by_of
from brisk_anchor.services.results.inspection import COLUMNS, Inspection
from brisk_anchor.services.results.rehearsal import BatchRehearsal
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.cutting import EdgeLife

PARTS = 60
LIVES = {
    # It drifts, and is answered by half of what it is off. In part 24 a chip lay in the way, in 41 an insert was loose.
    "T12 radius wear": EdgeLife(wear=0.0004, warmth=0.003, scatter=0.0011, upsets=((23, 0.020), (40, -0.016))),
    # It only scatters, and is answered wholly each time: that makes it scatter more.
    "T14 radius wear": EdgeLife(wear=0.0, warmth=0.0, scatter=0.005),
    "T14 length wear": EdgeLife(wear=0.00012, warmth=0.006, scatter=0.0008),
}


def open_batch(folder: Path) -> Session:
    """Open the batch and its history, kept in a separate folder. Raises BriskAnchorError."""
    session = open_job(demo_files(folder / "batch", "batch"), folder / "batch-data", roll=1)
    try:
        inspection = Inspection(session)
        if not inspection.parts:
            begun = datetime.now(UTC).replace(second=0, microsecond=0) - timedelta(minutes=15 * (PARTS + 1))
            batch = BatchRehearsal(inspection, seed=27).run(PARTS, corrected=True, lives=LIVES, first=begun)
            inspection.enter_all(batch.parts)
            for asked in inspection.asked:  # the control holds the wear that the last part was answered with
                last = next(
                    (c for part in reversed(batch.parts) for c in part.corrected if c.by == by_of(asked.way)), None
                )
                if asked.way is not None and last is not None:
                    session.link.write_tool_figure(asked.way.tool, COLUMNS[asked.way.target], last.new)
            session.link.settle()
    except BaseException:
        session.close()
        raise
    return session
