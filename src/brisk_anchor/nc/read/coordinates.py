"""Program positions to machine positions and back, under a modal state: offset, shifts, tool length, rotation."""

from __future__ import annotations

from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.row_rotation import turned
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.read.expressions import ExpressionError
from brisk_anchor.nc.read.modal import Modal
from brisk_anchor.nc.read.port import MachinePort, TurningPort


class Coordinates:
    """Where a program position lies on the machine now. X is a radius here, whatever it is in the program."""

    def __init__(self, profile: Profile, machine: MachinePort, modal: Modal) -> None:
        self.profile = profile
        self.machine = machine
        self.modal = modal
        self._common = profile.common_shift
        self._turning = bool(profile.rotation_variables)
        self._turret = machine if profile.lathe is not None and isinstance(machine, TurningPort) else None

    def shift(self) -> Vector:
        """Machine less program position with no rotation: offset, common shift, local shifts, tool length; mm."""
        modal = self.modal
        x, y, z = self.machine.offset(modal.offset)
        if self._common is not None:
            above = self.machine.offset(self._common)
            x, y, z = x + above[0], y + above[1], z + above[2]
        if self._turret is not None:
            across, along = self._turret.tool_shift
            x, z = x + across, z + along
        local, placed = modal.local_shift, modal.set_shift
        x, y, z = x + local[0] + placed[0], y + local[1] + placed[1], z + local[2] + placed[2]
        return x, y, z + (self.length(modal.length) if modal.length else 0.0) + modal.length_shift

    def row_angle(self) -> float:
        """How far the active row itself turns coordinates about its zero, degrees; nothing where rows hold no angle."""
        if not self._turning:
            return 0.0
        return self.machine.angle_offset(self.modal.offset).get("R", 0.0)

    def angle_shift(self, letter: str) -> float:
        """Machine angle less program angle of a rotary axis, degrees."""
        own = self.machine.angle_offset(self.modal.offset).get(letter, 0.0)
        return own + (self.machine.angle_offset(self._common).get(letter, 0.0) if self._common else 0.0)

    def length(self, number: int) -> float:
        """Length of a tool, mm. Raises ExpressionError when the table holds none."""
        try:
            return self.machine.tool_length(number)
        except ValueError as error:
            raise ExpressionError(str(error)) from None

    def _within(self, axis: int) -> float:
        """The shifts within the row, which its angle turns with everything else, mm."""
        return self.modal.local_shift[axis] + self.modal.set_shift[axis]

    def _turned_row(self, place: Vector, shift: Vector, angle: float) -> Vector:
        """A program position in a row that is turned: shifts within it are turned, its own zero is not."""
        x, y = place[0], place[1]
        if self.modal.rotation:
            cx, cy = self.modal.rotation_centre
            dx, dy = turned(x - cx, y - cy, self.modal.rotation)
            x, y = cx + dx, cy + dy
        inner = self._within(0), self._within(1)
        x, y = turned(x + inner[0], y + inner[1], angle)
        return x + shift[0] - inner[0], y + shift[1] - inner[1], place[2] + shift[2]

    def to_machine(self, place: Vector) -> Vector:
        """A program position, mm, in machine coordinates."""
        shift = self.shift()
        if angle := self.row_angle():
            return self._turned_row(place, shift, angle)
        if not self.modal.rotation:
            return place[0] + shift[0], place[1] + shift[1], place[2] + shift[2]
        cx, cy = self.modal.rotation_centre
        dx, dy = turned(place[0] - cx, place[1] - cy, self.modal.rotation)
        return cx + dx + shift[0], cy + dy + shift[1], place[2] + shift[2]

    def to_program(self, machine: Vector) -> Vector:
        """A machine position in program coordinates, mm."""
        shift = self.shift()
        angle = self.row_angle()
        inner = (self._within(0), self._within(1)) if angle else (0.0, 0.0)
        x, y, z = (value - by for value, by in zip(machine, shift, strict=True))
        if angle:
            x, y = turned(x + inner[0], y + inner[1], -angle)
            x, y = x - inner[0], y - inner[1]
        if self.modal.rotation:
            cx, cy = self.modal.rotation_centre
            dx, dy = turned(x - cx, y - cy, -self.modal.rotation)
            x, y = cx + dx, cy + dy
        return x, y, z
