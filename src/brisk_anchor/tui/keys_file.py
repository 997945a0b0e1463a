"""Keys of a person's own: read from a file in the data folder, and written as one."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path

from brisk_anchor.core.errors import Fault, JobError, KeysError
from brisk_anchor.core.key_marks import plain
from brisk_anchor.services.paths import data_folder
from brisk_anchor.tui.actions import ACTIONS
from brisk_anchor.tui.keymap import (
    EVERYWHERE,
    KeyChanges,
    Keyed,
    Keymap,
    KeyReader,
    can_change,
    groups,
    spelled_key,
)
from brisk_anchor.tui.turning import keys

NAME = "keys.toml"
_TABLES: Mapping[str, Sequence[Keyed]] = {"mill": ACTIONS, "lathe": keys.ACTIONS}

_HOLDS = "Correct it; until then the keys of the table hold. brisk-anchor keys lists all faults"


def keys_path() -> Path:
    """Where a person's keys stand."""
    return data_folder() / NAME


def own_keys() -> KeyChanges:
    """What a person changed, nothing where there is no file.

    Raises:
        KeysError: the file has faults; nothing of it counts then.
    """
    path = keys_path()
    try:
        if not path.exists():
            return {}
    except OSError as error:
        raise KeysError(path.name, (Fault("", error.strerror or "it cannot be read"),), _HOLDS) from error
    from brisk_anchor.exchange.toml_files import findings_at, parse_tables, read_text

    try:
        text = read_text(path)
        data = parse_tables(text, path.name)
    except JobError as error:
        raise KeysError(error.name, error.findings, _HOLDS) from error
    reader = KeyReader(_TABLES)
    reader.read(data)
    if reader.faults:
        raise KeysError(NAME, tuple(findings_at(NAME, text, reader.faults)), _HOLDS)
    return reader.changes


def keys_as_file(changes: KeyChanges) -> str:
    """All keys in force as such a file: what is the same in every view, then a section for each view."""
    keymaps = [Keymap(table, changes) for table in _TABLES.values()]
    views = list(dict.fromkeys(view for table in _TABLES.values() for action in table for view in action.views))
    told: dict[str, dict[str, tuple[tuple[str, ...], str]]] = {EVERYWHERE: {}, **{view: {} for view in views}}
    for keymap in keymaps:
        everywhere = {view for action in keymap.table for view in action.views}
        for group in filter(can_change, groups(keymap.table)):
            first = group[0]
            for view in first.views:
                found = keymap.keys_of(view, first.name)
                same = set(first.views) == everywhere and all(
                    keymap.keys_of(other, first.name) == found for other in everywhere
                )
                told[EVERYWHERE if same else view].setdefault(first.name, (found, plain(first.help)))
    lines = [f"# Keys of Brisk Anchor. Saved as {NAME} in the data folder they hold from the next start."]
    for section, names in told.items():
        lines += ["", f"[{section}]", *(_line(name, keys, does) for name, (keys, does) in names.items())]
    return "\n".join(lines) + "\n"


def _line(name: str, keys: tuple[str, ...], does: str) -> str:
    texts = [json.dumps(spelled_key(key), ensure_ascii=False) for key in keys]
    value = texts[0] if len(texts) == 1 else f"[{', '.join(texts)}]"
    return f"{f'{json.dumps(name, ensure_ascii=False)} = {value}':<36}  # {does}"
