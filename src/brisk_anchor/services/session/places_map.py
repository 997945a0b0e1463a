"""The map of a fixture's places: where each is, which rows are used there, how those stand, what was looked at."""

from __future__ import annotations

from collections.abc import Mapping

from brisk_anchor.core.offsets.setup import PlaceOnFixture, stands_so
from brisk_anchor.core.quantities import deg
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.session.session import Session


@dataclass(frozen=True, slots=True)
class MapPlace:
    """One place: its first row as a short word, how that stands, whether its own part was touched in this clamping."""

    place: PlaceOnFixture
    row: str
    state: str
    looked_at: bool

    @property
    def short_row(self) -> str:
        """The row's name where there is little room: "P7" of an extended one."""
        return self.row.removeprefix("G54.1 ")


@dataclass(frozen=True, slots=True)
class MapFace:
    """The places of one face, from the highest row down, and where the table stands when it looks at the spindle."""

    face: int
    angle: str
    looks: bool
    places: tuple[MapPlace, ...]


def places_map(session: Session, angles: Mapping[str, float]) -> list[MapFace]:
    """The faces of the job's fixture with their places; nothing where it holds one part.

    `angles` are where rotary axes stand now, or as the drawing shows them, degrees.
    """
    setup, working = session.setup, session.working
    touched = {place.name for name in working.measured if working.holds(name) and (place := setup.place_of(name))}
    faces: dict[int, list[PlaceOnFixture]] = {}
    for place in setup.places:
        faces.setdefault(place.face, []).append(place)
    found = []
    for face, places in sorted(faces.items()):
        ordered = sorted(places, key=lambda place: (-place.row, place.column))
        lines = []
        for place in ordered:
            row = place.rows[0] if place.rows else ""
            state = "empty" if place.empty else session.rows.state(row).value if row else "no offset"
            lines.append(MapPlace(place, row, state, place.name in touched))
        table = places[0].table
        turned = [f"{letter} {deg(angle)}" for letter, angle in table if angle or len(table) == 1]
        looks = bool(table) and stands_so(table, angles)
        found.append(MapFace(face, " ".join(turned), looks, tuple(lines)))
    return found
