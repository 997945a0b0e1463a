"""What is kept for somebody in trouble: the log, and a report of an unexpected error. Neither holds a password."""

from __future__ import annotations

import logging
import os
import platform
import re
import sys
import traceback
from datetime import datetime
from logging.handlers import RotatingFileHandler
from pathlib import Path

from brisk_anchor import __version__
from brisk_anchor.services.paths import data_folder

LEVELS = ("off", "warning", "info", "debug")
_LONGEST, _KEPT = 1_000_000, 3
_TAIL = 40
"""Lines of the log that a report of an unexpected error repeats."""
_ADDRESS = re.compile(r"(\b[a-z][a-z0-9+]*://)[^/\s@]*@", re.IGNORECASE)
_LOG = logging.getLogger("brisk_anchor")


class _OneLine(logging.Formatter):
    """A line a record, whatever was logged: line ends and what a terminal would act on are left out."""

    def format(self, record: logging.LogRecord) -> str:
        told = without_secrets(super().format(record))
        return "".join(c if c.isprintable() else " " for c in told)


def log_file() -> Path:
    """The file that the log is written to."""
    return data_folder() / "log" / "brisk-anchor.log"


def start_log(level: str = "info") -> bool:
    """Write the log from now on, at one of LEVELS; False where its folder cannot be written: nothing waits for that."""
    _LOG.propagate = False
    if not logging.root.handlers:  # what libraries warn of is not ours to say, and may hold anything of a file
        logging.root.addHandler(logging.NullHandler())
    for handler in list(_LOG.handlers):
        _LOG.removeHandler(handler)
        handler.close()
    _LOG.addHandler(logging.NullHandler())
    if level == "off":
        return True
    _LOG.setLevel(level.upper())
    path = log_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(path, maxBytes=_LONGEST, backupCount=_KEPT, encoding="utf-8", delay=True)
    except OSError:
        return False
    handler.setFormatter(_OneLine("%(asctime)s %(levelname)s %(name)s %(message)s"))
    handler.handleError = lambda record: None  # type: ignore[method-assign]  # a full disk stops no work
    _LOG.addHandler(handler)
    return True


def without_secrets(text: str) -> str:
    """A text without users and passwords of addresses, and without the address of the book that is configured."""
    configured = os.environ.get("BRISK_ANCHOR_BOOK", "")
    if len(configured) > 8:
        text = text.replace(configured, "(the configured book)")
    return _ADDRESS.sub(r"\1…@", text)


def write_crash(error: BaseException) -> Path | None:
    """Write what is known of an unexpected error, without what its variables held; None where it cannot be written."""
    now = datetime.now()
    told = [
        f"Brisk Anchor {__version__}, {now:%Y-%m-%d %H:%M:%S}",
        f"Python {sys.version.split()[0]} on {platform.system()} {platform.release()}, {platform.machine()}",
        f"started as {' '.join(['brisk-anchor', *sys.argv[1:]])}",
        "",
        *(line.rstrip() for line in traceback.format_exception(error)),
        "",
        "the log before it:",
        *_tail(),
    ]
    path = data_folder() / "crashes" / f"crash-{now:%Y%m%d-%H%M%S-%f}.txt"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(without_secrets("\n".join(told)) + "\n", encoding="utf-8")
    except OSError:
        return None
    _LOG.error("unexpected error %s, told in %s", type(error).__name__, path.name)
    return path


def _tail() -> list[str]:
    try:
        with log_file().open("rb") as stream:
            stream.seek(0, os.SEEK_END)
            stream.seek(max(0, stream.tell() - 20_000))
            return stream.read().decode("utf-8", "replace").splitlines()[-_TAIL:]
    except OSError:
        return []
