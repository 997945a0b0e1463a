"""A machine that only notes what it is told; positions follow the moves, skips stop where a test says."""

from __future__ import annotations

from brisk_anchor.nc.read.port import SkipResult


class Collector:
    """A MachinePort of nothing but numbers."""

    def __init__(self, stops=()):
        self.position = (0.0, 0.0, 0.0)
        self.tool_in_spindle = 20
        self.moves = []
        self.angles = {}
        self.angle_offsets = {}
        self.tools = {20: {10: 150.0}}
        self.offsets = {"G54": (-100.0, -50.0, -200.0), "G55": (-10.0, -20.0, -30.0)}
        self.stops = list(stops)

    def rapid(self, target, line, angles=None):
        self.moves.append(("rapid", target, line))
        self.position = target
        self.angles.update(angles or {})

    def feed(self, target, feed, line, angles=None):
        self.moves.append(("feed", target, feed))
        self.position = target
        self.angles.update(angles or {})

    home = (0.0, 0.0, 0.0)
    clock = 0.0
    hours = 0.0
    probe_signals = False

    def change_tool(self, number, line):
        self.tool_in_spindle = number

    def turn_spindle(self, code, speed, line):
        self.moves.append(("spindle", code, speed))

    def write_tool(self, number, kind, value):
        self.moves.append(("tool", number, kind, value))
        self.tools.setdefault(number, {})[kind] = value

    def tool_value(self, number, kind):
        if number not in self.tools:
            raise ValueError(f"H{number} is empty in the tool table")
        return self.tools[number].get(kind, 0.0)

    def angle_offset(self, row):
        return self.angle_offsets.get(row, {})

    def write_angle_offset(self, row, letter, value):
        self.angle_offsets.setdefault(row, {})[letter] = value

    def skip(self, target, feed, line, *, away=False):
        stop = self.stops.pop(0) if self.stops else None
        self.moves.append(("skip", target, feed))
        self.position = stop or target
        return SkipResult(stop or target, stop is not None)

    def dwell(self, seconds, line):
        self.moves.append(("dwell", seconds, line))

    def offset(self, row):
        return self.offsets.get(row, (0.0, 0.0, 0.0))

    def write_offset(self, row, values):
        self.offsets[row] = values

    def tool_length(self, number):
        if number != 20:
            raise ValueError(f"H{number} is empty in the tool table")
        return 150.0
