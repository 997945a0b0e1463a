"""A stand-in that stands alone: it takes programs from the other end of a job's link and prints where that listens.

A person works it by an `OperatorPanel`, as at any machine. With `auto` it loads and starts whatever arrives, as an
operator would who asks nothing.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from pathlib import Path

from brisk_anchor.core.errors import BriskAnchorError, CrashError, GuardError, LinkError, PlanError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.numbers import is_whole
from brisk_anchor.core.quantities import signed_dim
from brisk_anchor.link.far_end import FarEnd
from brisk_anchor.link.settings import LinkSettings
from brisk_anchor.services.job.jobs import load_job, load_machine, machine_file_of
from brisk_anchor.services.machine.dry_run import read_program
from brisk_anchor.services.machine.machine_file import MachineFile
from brisk_anchor.services.machine.player import Player
from brisk_anchor.services.machine.ports import OperatorPanel
from brisk_anchor.services.machine.stand_in_link import StandInLink, StandInPanel
from brisk_anchor.services.paths import file_stem
from brisk_anchor.standin.control import Control, Mode, Switch
from brisk_anchor.standin.scene import build_scene

_NUMBER = re.compile(r"^\s*(?:%\s*)?O([0-9]{1,8})", re.MULTILINE)
WORDS = {
    "list": "programs that lie there",
    "load NAME": "load one of them; alone: the newest",
    "start": "cycle start, and on after a hold",
    "hold": "feed hold",
    "reset": "give up what runs, clear the alarm",
    "home": "every axis home",
    "door": "open or shut it",
    "tool N": "put a tool in the spindle",
    "jog X 10": "one axis by so much, mm, the probe watching",
    "mdi LINE": "one block",
    "optional": "optional stop on or off",
    "quit": "switch off",
}


class ServedMachine:
    """One stand-in with its panel, and the far ends of its link."""

    def __init__(
        self, folder: Path, data: Path, *, roll: int = 1, speed: float = 6.0, auto: bool = False, seed: int | None = 1
    ) -> None:
        """The machine of a job's folder, with the real-life part that `roll` draws.

        Raises:
            JobError: the files have faults. LinkError: machine.toml has no link, or its port cannot be served.
        """
        if (path := machine_file_of(folder)) is not None:
            alone = load_machine(path)
            machine, profile, scene, base = alone.machine, alone.profile, build_scene(alone.scene()), path.parent
        else:
            job = load_job(folder)
            machine, profile, scene, base = job.machine, job.profile, build_scene(job.scene(roll)), folder
        if machine.link is None:
            raise LinkError(
                f"{machine.name} has no link to serve",
                "machine.toml says connection and no [link]",
                "Give it a [link]: where programs go, and where what it prints comes from",
            )
        self.name = machine.name
        self.settings: LinkSettings = machine.link.settings(base.absolute())
        self.control = Control(scene.stand_in(seed=seed, length_reference=profile.length_reference), profile)
        name = file_stem(machine.name)
        file = MachineFile(data / f"served-{name}.json")
        file.load(self.control)
        link = StandInLink(self.control, file, lambda: (0, ""))
        self._link = link
        self.panel: OperatorPanel = StandInPanel(link)
        self.speed, self.auto = speed, auto
        self.player: Player | None = None
        self.loaded: tuple[str, str] = ("", "")
        self.told: Callable[[str], None] = lambda _words: None
        self._printed = 0
        self._runs = 0
        self._of_run: Path | None = None
        self._seen: dict[str, int] = self._there()
        settings = self.settings
        wire = settings.wire
        wired = wire is not None and wire.is_socket
        self._far = FarEnd(wire.port, wire.end) if wire is not None and wired else None
        self._received: dict[str, str] = {}

    # -- programs ------------------------------------------------------------------------------------------------------

    def _there(self) -> dict[str, int]:
        folder = self.settings.program_folder
        if folder is None or not folder.is_dir():
            return {}
        return {
            path.name: path.stat().st_mtime_ns
            for path in folder.iterdir()
            if path.is_file() and not path.name.startswith(".")
        }

    def programs(self) -> list[str]:
        """Programs that lie there, the newest last."""
        there = self._there()
        return [*sorted(there, key=lambda name: there[name]), *self._received]

    def load(self, name: str = "") -> str:
        """Load a program; the newest without a name. Raises PlanError: there is none. NcError: it is refused."""
        names = self.programs()
        name = name or next(reversed(names), "")
        chosen = next((n for n in names if n.lower() in (name.lower(), f"{name.lower()}.nc")), None)
        if chosen is None:
            raise PlanError(f"There is no program {name[:40]}", "", f"There are {', '.join(names) or 'none'}")
        folder = self.settings.program_folder
        received = self._received.get(chosen)
        text = received if received is not None or folder is None else read_program(folder / chosen)
        self.loaded = (chosen, text or "")
        self.control.choose(Mode.AUTO)
        return f"{chosen} is loaded; start runs it"

    # -- the panel -----------------------------------------------------------------------------------------------------

    def do(self, words: str) -> str:
        """What a person types at the panel; what came of it. Raises BriskAnchorError: it cannot be now."""
        word, _, rest = words.strip().partition(" ")
        rest = rest.strip()
        match word.lower():
            case "list":
                return ", ".join(self.programs()) or "no program lies there"
            case "load":
                return self.load(rest)
            case "start":
                return self.start()
            case "hold":
                return self.hold()
            case "reset":
                self._give_up()
                self.panel.reset()
                return "reset"
            case "home":
                self._at_rest()
                self.panel.home()
                return "home"
            case "door":
                self.control.turn(Switch.DOOR)
                return "the door is open" if self.control.door_open else "the door is shut"
            case "optional":
                self.control.turn(Switch.OPTIONAL_STOP)
                return f"optional stop is {'on' if self.control.optional_stop else 'off'}"
            case "tool":
                self._at_rest()
                self.panel.change_tool(_whole(rest))
                return f"T{rest} is in the spindle"
            case "jog":
                return self._jog(rest)
            case "mdi":
                self._at_rest()
                self.control.choose(Mode.MDI)
                self._play(Player(self.panel.mdi(rest.upper()), self.speed), "")
                return "the line runs"
        raise PlanError(f"“{word[:20]}” is nothing on this panel", "", f"There are {', '.join(WORDS)}")

    def _jog(self, words: str) -> str:
        self._at_rest()
        axis, _, distance = words.partition(" ")
        try:
            figure = float(distance)
        except ValueError:
            raise PlanError(f"“{words[:20]}” moves nothing", "", "As jog X -10") from None
        self.control.choose(Mode.JOG)
        met = self.panel.jog(axis.lower(), figure)
        return f"stopped at {met}, and backed off" if met else self.where

    def _at_rest(self) -> None:
        if self.player is not None:
            raise GuardError("A program is under way", "Nothing else moves meanwhile", "hold, or reset")

    def start(self) -> str:
        """Cycle start. Raises BriskAnchorError: no program, not homed, an alarm."""
        if self.player is not None:
            self.player.paused = False
            return "running"
        name, text = self.loaded
        if not text:
            raise PlanError("No program is loaded", "", "load takes the newest")
        self.panel.reset()
        self._play(Player(self.panel.start_loaded(name, text), self.speed), name)
        return f"{name} runs"

    def hold(self) -> str:
        """Feed hold. Raises GuardError: nothing runs."""
        if self.player is None:
            raise GuardError("Nothing runs", "", "")
        self.player.paused = True
        return "held; start goes on"

    def _play(self, player: Player, name: str) -> None:
        self.player, self._printed = player, 0
        self._runs += 1
        number = _NUMBER.search(self.loaded[1]) if name else None
        label = f"O{int(number[1]):04d}" if number else "MDI"
        folder = self.settings.report_folder
        stamp = time.strftime("%Y%m%d-%H%M%S")
        self._of_run = None if folder is None else folder / f"{label}-{stamp}-{self._runs}.txt"

    def _give_up(self) -> None:
        if self.player is not None:
            self.player.stop()
            self._print()
            self.player = None
            self._link.settle()

    # -- time ----------------------------------------------------------------------------------------------------------

    def pass_time(self, seconds: float) -> None:
        """Let what runs go on, print what it prints, look what arrived."""
        self._arrivals()
        player = self.player
        if player is None:
            return
        was = player.paused
        player.advance(seconds)
        self._print()
        if player.over:
            self._ended(player)
        elif player.paused and not was:
            self.told(f"stopped: {player.run.interpreter.message or 'the program waits'}; start goes on")
            if self.auto:
                player.paused = False

    def _ended(self, player: Player) -> None:
        self.player = None
        failure = player.run.failure()
        self._link.settle()
        if failure is None:
            self.told(f"{self.loaded[0]} has ended")
            self._save_variables()
            return
        self.told(failure.one_line())
        if self.auto and not isinstance(failure, CrashError):
            self.panel.reset()

    def _save_variables(self) -> None:
        """Save the variables, as a control that prints nothing does, beside the programs."""
        folder = self.settings.program_folder
        if self.control.profile.print is not None or folder is None:
            return
        known = sorted((n, value) for n, value in self.control.memory.common.items() if value is not None)
        path = folder.parent / "variables.txt"
        try:
            path.write_text("".join(f"{number} {value:.6f}\n" for number, value in known), encoding="ascii")
        except OSError as error:
            self.told(f"{path} cannot be written: {error.strerror or error}")

    def _arrivals(self) -> None:
        there = self._there()
        fresh = sorted((name for name, at in there.items() if self._seen.get(name) != at), key=lambda n: there[n])
        self._seen = there
        for text in self._far.programs() if self._far is not None else []:
            found = _NUMBER.search(text)
            name = f"O{int(found[1]):04d}" if found else f"wire-{len(self._received) + 1}"
            self._received[name] = text
            fresh.append(name)
        for name in fresh:
            self.told(f"{name} has arrived")
        if fresh and self.auto and self.player is None:
            try:
                self.load(fresh[-1])
                if not self.control.homed:
                    self.panel.home()
                self.told(self.start())
            except BriskAnchorError as error:
                self.told(error.one_line())

    def _print(self) -> None:
        if self.player is None:
            return
        lines = self.player.run.interpreter.printed
        fresh, self._printed = lines[self._printed :], len(lines)
        if not fresh:
            return
        for line in fresh:
            self.told(f"  {line}")
            if self._far is not None and self.settings.hears_wire:
                self._far.print(line)
        path = self.settings.report_file or self._of_run
        if path is not None:
            try:
                path.parent.mkdir(parents=True, exist_ok=True)
                with path.open("a", encoding="ascii", errors="replace", newline="") as file:
                    file.write("".join(f"{line}\r\n" for line in fresh))
            except OSError as error:
                self.told(f"{path} cannot be printed to: {error.strerror or error}")

    # -- showing -------------------------------------------------------------------------------------------------------

    @property
    def where(self) -> str:
        """Position, tool, row and what it does, in one line."""
        place: Vector = self.player.position if self.player is not None else self.control.machine.position
        figures = "  ".join(f"{axis} {signed_dim(value, 3)}" for axis, value in zip("XYZ", place, strict=True))
        state = "not homed" if not self.control.homed else "at rest"
        if self.control.alarm is not None:
            state = f"alarm {int(self.control.alarm.number)}: {self.control.alarm.text}"
        if self.player is not None:
            state = f"{'held' if self.player.paused else 'running'} {self.loaded[0]} line {self.player.line}"
        door = "  door open" if self.control.door_open else ""
        return f"{figures}  T{self.control.machine.tool_in_spindle}  {self.control.active_row}  {state}{door}"

    def close(self) -> None:
        """Switch it off: how it stands is kept."""
        self._give_up()
        self._link.settle()
        if self._far is not None:
            self._far.close()


def _whole(text: str) -> int:
    if not is_whole(text, 4):
        raise PlanError(f"“{text[:10]}” is no tool", "", "As tool 20")
    return int(text)
