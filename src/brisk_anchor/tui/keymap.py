"""The keys in force: those of a table of actions, and in their place those that a person chose.

An action is named by its label. Some actions are a group with one label, as the two that zoom: they take as many keys.
Enter, Tab, Esc and the arrows stay what they are, since they answer questions and move in lists.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field, replace
from difflib import get_close_matches
from typing import Generic, Protocol, TypeVar

from rich.console import Group, RenderableType
from rich.text import Span, Text
from textual.keys import KEY_NAME_REPLACEMENTS, key_to_character

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.key_marks import MARK
from brisk_anchor.core.numbers import counted
from brisk_anchor.lazy_dataclass import dataclass

EVERYWHERE = "everywhere"
"""The section of a file that counts in every view."""
_NAMED = {
    "space": "Space",
    "delete": "Del",
    "backspace": "⌫",
    "pageup": "PgUp",
    "pagedown": "PgDn",
    "home": "Home",
    "end": "End",
    "insert": "Ins",
    **{f"f{number}": f"F{number}" for number in range(1, 13)},
}
"""Keys without a character of their own, and how they are written."""
_CHARACTERS = {"slash": "/", "backslash": "\\", "at": "@", "minus": "-", "plus": "+", "underscore": "_"}
"""What Textual calls shorter than Unicode does."""
_SPELLED = {key: key for key in _NAMED} | {shown.lower(): key for key, shown in _NAMED.items()}
_STAYING = frozenset({"enter", "tab", "escape", "up", "down", "left", "right"})
"""Keys that mean the same in every program; with Shift or Ctrl too."""
_TAKEN = frozenset("cimpqz")
"""Letters whose Ctrl is taken: to leave, to suspend, for the palette, and what a terminal sends for Enter and Tab."""


class Keyed(Protocol):
    """An action of a table, as far as its keys are concerned."""

    @property
    def keys(self) -> str:
        """Its keys as Textual calls them, with commas between."""

    @property
    def shown(self) -> str:
        """How its key is written, or those of the group that it begins."""

    @property
    def label(self) -> str:
        """What it is called; empty for one that belongs to the group of the one before."""

    @property
    def name(self) -> str:
        """What it is called in a file of keys."""

    @property
    def help(self) -> str:
        """What it does."""

    @property
    def views(self) -> tuple[str, ...]:
        """The views in which it can be done."""

    @property
    def line(self) -> bool:
        """Whether it stands in the key line."""

    def fits(self, *, linked: bool) -> bool:
        """Whether it can be done at such a machine."""


A = TypeVar("A", bound=Keyed)
Place = tuple[str, ...]
KeyChanges = Mapping[tuple[str, str], tuple[str, ...]]
"""Keys that a person chose, by (view, name): one for each action of the group."""


@dataclass(frozen=True, slots=True)
class OwnKeys:
    """Keys of a person's own, and what was wrong with them: then there are none."""

    changes: KeyChanges = field(default_factory=dict)
    trouble: BriskAnchorError | None = None


def groups(table: Sequence[A]) -> Iterator[tuple[A, ...]]:
    """The actions of a table, those under one label together."""
    held: list[A] = []
    for action in table:
        if action.label and held:
            yield tuple(held)
            held = []
        held.append(action)
    if held:
        yield tuple(held)


def shown_key(key: str) -> str:
    """How a key is written: “s”, “Space”, “Ctrl A”."""
    if key.startswith("ctrl+"):
        return f"Ctrl {shown_key(key[5:]).upper()}"
    return _NAMED.get(key) or _CHARACTERS.get(key) or key_to_character(key) or key


def spelled_key(key: str) -> str:
    """How a person writes a key in a file: “s”, “Space”, “Ctrl+A”."""
    if key == "backspace":
        return "Backspace"
    return shown_key(key).replace("Ctrl ", "Ctrl+")


def key_named(text: str) -> str | None:
    """The key that a person wrote, as Textual calls it; None for one that is none, or that cannot be chosen."""
    if text.lower().startswith("ctrl+") and len(text) == 6:
        letter = text[5].lower()
        return f"ctrl+{letter}" if letter.isascii() and letter.isalpha() and letter not in _TAKEN else None
    if len(text) != 1:
        return _SPELLED.get(text.strip().lower())
    if text in " ⌫":
        return "space" if text == " " else "backspace"
    if text.isalnum():
        return text
    name = unicodedata.name(text, "").lower().replace("-", "_").replace(" ", "_")
    return (KEY_NAME_REPLACEMENTS.get(name, name) or None) if text.isprintable() else None


def stays(key: str) -> bool:
    """Whether a key means the same always: one that answers questions, moves in lists, or goes with Ctrl."""
    return key.startswith("ctrl+") or key.rpartition("+")[2] in _STAYING


def can_change(group: Sequence[Keyed]) -> bool:
    """Whether each of its actions has a key that may be another."""
    return not any(all(map(stays, action.keys.split(","))) for action in group)


def own_keys_of(group: Sequence[Keyed]) -> tuple[str, ...]:
    """The keys of the table that may be others, the first of each action of a group that can change."""
    return tuple(next((key for key in action.keys.split(",") if not stays(key)), "") for action in group)


@dataclass(frozen=True)
class Keymap(Generic[A]):
    """The keys of a table, changed as a person wished."""

    table: Sequence[A]
    changes: KeyChanges = field(default_factory=dict)
    _meant: dict[tuple[str, str], list[A]] = field(init=False, default_factory=dict)
    _listed: dict[str, list[A]] = field(init=False, default_factory=dict)
    _written: dict[tuple[str, str, bool], str] = field(init=False, default_factory=dict)
    """How a key is written now, by (view, how the table's own is written, linked); the view "" stands for any."""

    _names: dict[int, str] = field(init=False, default_factory=dict)
    """What the group of an action is called, by the action's identity."""

    def __post_init__(self) -> None:
        for group in groups(self.table):
            for view in group[0].views:
                self._add(view, group)

    def _add(self, view: str, group: tuple[A, ...]) -> None:
        wanted = self.changes.get((view, group[0].name))
        if wanted == own_keys_of(group):
            wanted = None
        for number, action in enumerate(group):
            self._names[id(action)] = group[0].name
            own = action.keys.split(",")
            keys = own if wanted is None else [*filter(stays, own), wanted[number]]
            for key in keys:
                self._meant.setdefault((view, key), []).append(action)
            now = own[0] if wanted is None or stays(own[0]) else wanted[number]
            for linked in filter(lambda linked: action.fits(linked=linked), (False, True)):
                self._written.setdefault((view, shown_key(own[0]), linked), shown_key(now))
                self._written.setdefault(("", shown_key(own[0]), linked), shown_key(now))
        changed = wanted is not None and not stays(group[0].keys.split(",")[0])
        shown = " ".join(map(shown_key, wanted)) if wanted is not None and changed else group[0].shown
        self._listed.setdefault(view, []).append(replace(group[0], shown=shown))  # type: ignore[type-var]

    def meant(self, view: str, key: str) -> list[A]:
        """The actions that a key means in a view: the first that fits the machine is done."""
        return self._meant.get((view, key), [])

    def of_view(self, view: str, *, linked: bool = False) -> list[A]:
        """Actions of a view that have a name to show and fit the machine, each with the keys in force."""
        return [action for action in self._listed.get(view, []) if action.label and action.fits(linked=linked)]

    def keys_of(self, view: str, name: str) -> tuple[str, ...]:
        """The keys of what has that name in a view, one for each action of its group."""
        group = next(group for group in groups(self.table) if group[0].name == name and view in group[0].views)
        return self.changes.get((view, name)) or own_keys_of(group)

    def clashes(self) -> Iterator[tuple[str, str, tuple[str, ...]]]:
        """Keys that mean more than one thing in a view at one machine: the view, the key, the names."""
        for (view, key), meant in self._meant.items():
            for linked in (False, True):
                names = [self._names[id(action)] for action in meant if action.fits(linked=linked)]
                if len(names) > 1:
                    yield view, key, tuple(dict.fromkeys(names))

    def said(self, text: str, view: str, *, linked: bool = False) -> str:
        """A sentence with the keys in force in place of its marks; a mark without a view is of `view`."""
        if "⟨" not in text:
            return text
        return MARK.sub(lambda mark: self._now(mark[1] or view, mark[2], linked=linked) or mark[0], text)

    def _now(self, view: str, key: str, *, linked: bool) -> str:
        return self._written.get((view, key, linked)) or self._written.get(("", key, linked), "")

    def said_in(self, shown: RenderableType, view: str, *, linked: bool = False) -> RenderableType:
        """Styled words with the keys in force in place of their marks."""
        if isinstance(shown, Group):
            return Group(*(self.said_in(part, view, linked=linked) for part in shown.renderables))
        return self.said_text(shown, view, linked=linked) if isinstance(shown, Text) else shown

    def said_text(self, shown: Text, view: str, *, linked: bool = False) -> Text:
        """A styled text with the keys in force in place of its marks."""
        if "⟨" not in shown.plain:
            return shown
        text, at = shown.blank_copy(), 0
        for mark in MARK.finditer(shown.plain):
            if now := self._now(mark[1] or view, mark[2], linked=linked):
                text.append_text(shown[at : mark.start()])
                spans = [Span(0, len(now), span.style) for span in shown[mark.start(2) : mark.start(2) + 1].spans]
                text.append_text(Text(now, spans=spans))
                at = mark.end()
        return text.append_text(shown[at:])


class KeyReader:
    """Reads what a person wishes for keys: the sections of a file, each a view with names and their keys."""

    def __init__(self, tables: Mapping[str, Sequence[Keyed]]) -> None:
        """`tables` by the machine each is of."""
        self.tables = tables
        self.changes: dict[tuple[str, str], tuple[str, ...]] = {}
        self.faults: list[tuple[Place, str]] = []
        """Each with its place in the file."""
        self._stated: dict[tuple[str, str], Place] = {}
        self._groups: dict[str, dict[str, list[Sequence[Keyed]]]] = {}
        for group in (found for table in tables.values() for found in groups(table)):
            for view in group[0].views:
                self._groups.setdefault(view, {}).setdefault(group[0].name, []).append(group)

    def read(self, data: Mapping[str, object]) -> None:
        """Take all sections; what cannot be taken, and what clashes then, is a fault."""
        for section in sorted(data, key=lambda name: name != EVERYWHERE):  # a view's own section counts more
            wishes = data[section]
            if section != EVERYWHERE and section not in self._groups:
                self.faults.append(((section,), f"there is no view of that name: {', '.join(self._groups)}"))
            elif not isinstance(wishes, Mapping):
                self.faults.append(((section,), "names and their keys belong under it, as [bench] and store = “S”"))
            else:
                for name, keys in wishes.items():
                    self._take(section, str(name), keys)
        if not self.faults:
            self._look_for_clashes()

    def _take(self, section: str, name: str, wish: object) -> None:
        place = (section, name)
        views = list(self._groups) if section == EVERYWHERE else [section]
        found = {view: self._groups[view][name] for view in views if name in self._groups[view]}
        if not found:
            known = sorted({name for view in views for name in self._groups[view]})
            near = get_close_matches(name, known, 1, 0.5)
            self.faults.append((place, f"nothing is called that{f': did you mean “{near[0]}”?' if near else ''}"))
            return
        found = {view: [group for group in same if can_change(group)] for view, same in found.items()}
        if not any(found.values()):
            self.faults.append((place, "Enter, Tab, Esc and the arrows stay what they are"))
            return
        texts = wish if isinstance(wish, list) else [wish]
        keys = [key_named(text) if isinstance(text, str) else None for text in texts]
        sizes = {len(group) for same in found.values() for group in same}
        if None in keys:
            bad = str(texts[keys.index(None)])[:20]
            self.faults.append((place, f"“{bad}” is no key that can be chosen: a character, F5, PgUp, Space or Ctrl+A"))
        elif sizes != {len(keys)}:
            told = (
                counted(sizes.pop(), "key", "keys")
                if len(sizes) == 1
                else f"{' or '.join(map(str, sorted(sizes)))} keys"
            )
            self.faults.append((place, f"it takes {told}, not {len(keys)}"))
        else:
            for view in filter(found.get, found):
                self.changes[view, name] = tuple(key for key in keys if key is not None)
                self._stated[view, name] = place

    def _look_for_clashes(self) -> None:
        told: set[tuple[Place, str]] = set()
        for machine, table in self.tables.items():
            keymap = Keymap(table, self.changes)
            for view, key, names in keymap.clashes():
                place = next((self._stated[view, name] for name in names if (view, name) in self._stated), (view,))
                both = f"at a {machine}, in {view}, {shown_key(key)} would be {' and '.join(names)}"
                told.add((place, f"{both}: give one of them another key"))
        self.faults += sorted(told)
