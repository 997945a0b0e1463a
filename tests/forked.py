"""Calls of the command line in child processes that start quickly.

Each child is forked from a server process that has imported the program already, so no call pays for the imports. The
first call of a test process starts its server, which ends with the tests.
"""

from __future__ import annotations

import multiprocessing
import os
import resource
import sys
from collections.abc import Mapping
from pathlib import Path
from subprocess import CompletedProcess, TimeoutExpired

import ezdxf  # noqa: F401 loaded once, before the forks

import brisk_anchor.cli.commands
import brisk_anchor.services.session.session  # noqa: F401
from brisk_anchor.__main__ import main

_FORKS = multiprocessing.get_context("forkserver")
_FORKS.set_forkserver_preload(["tests.forked"])


def command(
    folder: Path, *arguments: str, cpu: int = 60, memory: int = 4_000_000_000, timeout: float = 60.0
) -> CompletedProcess[str]:
    """What `brisk-anchor ARGUMENTS` says and how it ends, with the user's data in the folder's `home`.

    It gets so much time of a processor, s, and so much address space, bytes. Raises TimeoutExpired: it does not end.
    """
    out, err = folder / "told.out", folder / "told.err"
    surroundings = {"BRISK_ANCHOR_HOME": str(folder / "home")}
    process = _FORKS.Process(target=_run, args=(arguments, surroundings, out, err, cpu, memory))
    process.start()
    process.join(timeout)
    if process.exitcode is None:
        process.kill()
        raise TimeoutExpired(arguments, timeout)
    told, warned = (path.read_bytes().decode(errors="replace") for path in (out, err))
    return CompletedProcess(arguments, process.exitcode, told, warned)


def _run(
    arguments: tuple[str, ...], surroundings: Mapping[str, str], out: Path, err: Path, cpu: int, memory: int
) -> None:
    os.environ.update(surroundings)
    for path, stream in ((out, sys.stdout), (err, sys.stderr)):
        with path.open("wb") as file:
            os.dup2(file.fileno(), stream.fileno())
    resource.setrlimit(resource.RLIMIT_CPU, (cpu, cpu))
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    sys.argv = ["brisk-anchor", *arguments]
    main()
