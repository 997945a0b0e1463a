"""Asks the terminal for its background colour, once, before the first picture.

The question for the colour (OSC 11) is followed by one that every terminal answers (DA1). Once the second answer has
come, no more will follow, so that no part of an answer is read as keys. Over a remote line, which may be slow, the
terminal is not asked.
"""

from __future__ import annotations

import os
import re
import select
import sys
import time
from collections.abc import Mapping

_QUESTION = b"\x1b]11;?\x1b\\\x1b[c"
_END = re.compile(rb"\x1b\[\?[0-9;]*c")
_COLOUR = re.compile(rb"\x1b\]11;rgba?:([0-9a-fA-F]{1,4})/([0-9a-fA-F]{1,4})/([0-9a-fA-F]{1,4})")
_PATIENCE = 1.0
"""How long, s, the second answer is waited for; a terminal of this computer needs a few thousandths."""


def may_be_asked(environment: Mapping[str, str]) -> bool:
    """Whether a terminal is there that answers at once."""
    known = environment.get("TERM", "") not in ("", "dumb", "linux")
    near = not any(name in environment for name in ("SSH_CONNECTION", "SSH_TTY"))
    return known and near and sys.platform != "win32" and os.isatty(0) and os.isatty(1)


def is_light(environment: Mapping[str, str]) -> bool | None:
    """Whether the background is light; None where the terminal does not say."""
    if not may_be_asked(environment):
        return None
    import termios
    import tty

    before = termios.tcgetattr(0)
    try:
        tty.setcbreak(0, termios.TCSANOW)
        os.write(1, _QUESTION)
        answer = _answer()
    except OSError:
        return None
    finally:
        termios.tcsetattr(0, termios.TCSANOW, before)
    return light_in(answer)


def _answer() -> bytes:
    held, end = b"", time.monotonic() + _PATIENCE
    while _END.search(held) is None and (left := end - time.monotonic()) > 0:
        if not select.select([0], [], [], left)[0]:
            break
        if not (piece := os.read(0, 1024)):
            break
        held = (held + piece)[-4096:]
    return held


def light_in(answer: bytes) -> bool | None:
    """Whether the colour in an answer is light: over half the luminance of white (ITU-R BT.709); None without one."""
    if (found := _COLOUR.search(answer)) is None:
        return None
    red, green, blue = (int(part, 16) / (16 ** len(part) - 1) for part in found.groups())
    return bool(0.2126 * red + 0.7152 * green + 0.0722 * blue > 0.5)
