"""Starting the application: the demo, or a job's folder."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.nc.bounded import is_file
from brisk_anchor.services.paths import DEMO_SPEED, demo_folder
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.frame_app import FrameApp
from brisk_anchor.tui.keymap import OwnKeys
from brisk_anchor.tui.keys_file import keys_as_file, own_keys

if TYPE_CHECKING:
    from brisk_anchor.nc.profile.control_profile import Profile
    from brisk_anchor.services.session.session import Session
    from brisk_anchor.services.turning.turning_session import TurningSession


def run_demo(*, speed: float = DEMO_SPEED, fresh: bool = False, profile: Profile | None = None) -> int:
    """Open the demo with its own book, on the control of a profile; returns the exit code."""

    folder = demo_folder()

    def open_job() -> Session:
        from brisk_anchor.services.demo.demo_job import open_demo

        return open_demo(folder, fresh=fresh, profile=profile)

    return _run(open_job, folder, speed)


def run_block(*, speed: float = DEMO_SPEED, fresh: bool = False, profile: Profile | None = None) -> int:
    """Open the demo's block that has no drawing; returns the exit code."""
    folder = demo_folder() / "block"

    def open_it() -> Session:
        from brisk_anchor.services.demo.demo_job import open_block

        return open_block(folder, fresh=fresh, profile=profile)

    return _run(open_it, folder, speed)


def run_batch(*, speed: float = DEMO_SPEED) -> int:
    """Open the demo's batch of inspected parts; returns the exit code."""
    folder = demo_folder()

    def open_it() -> Session:
        from brisk_anchor.services.demo.demo_batch import open_batch

        return open_batch(folder)

    return _run(open_it, folder / "batch", speed)


def run_month(*, speed: float = DEMO_SPEED) -> int:
    """Open the demo with a month of history; returns the exit code."""
    folder = demo_folder() / "month"

    def open_it() -> Session:
        from brisk_anchor.services.demo.demo_month import open_month

        return open_month(folder)

    return _run(open_it, folder, speed)


def run_turning(path: Path, data: Path | None = None) -> int:
    """Open a job to turn; sheets go into its folder, book and lathe into `data`. Returns the exit code."""
    from brisk_anchor.tui.turning.app import TurningApp

    path = path.absolute()

    def open_it() -> TurningSession:
        from brisk_anchor.services.paths import data_folder
        from brisk_anchor.services.turning.turning_session import TurningSession

        return TurningSession.open(path, data or data_folder())

    return _end(TurningApp(open_it, path.parent, _keys()))


def run_job(job: Path, *, roll: int, speed: float = DEMO_SPEED, data: Path | None = None) -> int:
    """Open a job's folder; sheets go into it, book and machine into `data`. Returns the exit code."""

    job = job.absolute()
    from brisk_anchor.services.paths import turning_file_in

    if (turning := turning_file_in(job)) is not None:
        return run_turning(turning, data)

    def open_it() -> Session:
        from brisk_anchor.services.paths import data_folder
        from brisk_anchor.services.session.job_opening import open_job

        return open_job(job, data or data_folder(), roll=roll)

    return _run(open_it, job.parent if is_file(job) else job, speed)


def _run(open_job: Callable[[], Session], folder: Path, speed: float) -> int:
    return _end(BriskAnchorApp(open_job, folder, speed=speed, keys=_keys()))


def _keys() -> OwnKeys:
    """A person's own keys; where they have faults, those of the table hold."""
    try:
        return OwnKeys(own_keys())
    except BriskAnchorError as error:
        return OwnKeys(trouble=error)


def keys_text() -> str:
    """All keys in force as the file in which a person changes them.

    Raises:
        KeysError: that file has faults.
    """
    return keys_as_file(own_keys())


def _end(app: FrameApp) -> int:
    """Run an application; its exit code."""
    os.environ.setdefault("ESCDELAY", "25")
    gc.disable()  # all that is made until the job is open stays; after that it is left out of collections
    code = app.run()
    # Where an unexpected error ended it there is no answer of its own, and that is no success.
    return code if code is not None else (app.return_code or 0)
