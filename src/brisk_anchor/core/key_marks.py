"""Keys in sentences. A sentence names a key by a mark: ⟨s⟩, or ⟨book:s⟩ for the key of another view.

What stands in a mark is the key of the table of actions. The screen shows the key that a person chose in its place;
whatever is no screen, a log, a file or the command line, shows the table's own.
"""

from __future__ import annotations

import re

MARK = re.compile(r"⟨(?:([a-z]{2,12}):)?([^\s⟨⟩]|Space|Del|PgUp|PgDn)⟩")


def plain(text: str) -> str:
    """A sentence with the keys of the table in place of the marks."""
    return MARK.sub(r"\2", text) if "⟨" in text else text
