"""Links: how soon a report is on the screen, what is lost or taken twice, a large report, keys meanwhile.

From the last printed line to the chain on the screen, by a file that grows and down a wire; reports that are broken off
in the middle, by the link or by whoever listened, each to be taken once and no more; ten thousand touches in one
report. `python -m benchmarks links [--losses N]`; exits 1 where a figure is outside its limits.
"""

from __future__ import annotations

import asyncio
import random
import socket
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from textual import events

from brisk_anchor.core.errors import LinkError
from brisk_anchor.link.far_end import FarEnd
from brisk_anchor.link.settings import feed_of
from brisk_anchor.link.wire import Wire
from brisk_anchor.nc.programs.program import Program, ProgramLine
from brisk_anchor.services.demo.demo_job import demo_shop
from brisk_anchor.services.measure.measurement_request import point_at
from brisk_anchor.services.orders.listening import Ear
from brisk_anchor.services.orders.order import Kind, Order
from brisk_anchor.services.orders.orders import Orders
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.session import Session
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.frame import Prompt

KINDS = ("file", "folder", "wire")
_SOON = 0.150
_REPEATS = 9
"""How often each place is touched in the large report: as often as a measurement may."""


def _shop(folder: Path, kind: str) -> tuple[Path, str]:
    """The demo's shop with a link of a kind; its folder, and the port of a wire."""
    job = demo_shop(folder / "shop")
    (job / "control" / "out").mkdir(exist_ok=True)
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = f"socket://127.0.0.1:{server.getsockname()[1]}"
    reports = {
        "file": 'reports = "files"\nreport_file = "control/printed.txt"',
        "folder": 'reports = "files"\nreport_folder = "control/out"',
        "wire": f'reports = "wire"\nport = "{port}"',
    }[kind]
    path = job / "machine.toml"
    text = path.read_text(encoding="utf-8")
    start, end = text.index("[link]"), text.index("\n[probe]")
    link = f'[link]\nprograms = "files"\nprogram_folder = "control/programs"\n{reports}\n'
    path.write_text(text[:start] + link + text[end:], encoding="utf-8")
    return job, port


class Printer:
    """Prints a report at the far end of a link of some kind."""

    def __init__(self, job: Path, kind: str, port: str) -> None:
        self.job, self.kind, self.port = job, kind, port
        self.far = FarEnd(port) if kind == "wire" else None
        self.number = 0

    def begin(self) -> None:
        """A new run."""
        self.number += 1

    def print(self, lines: list[str]) -> None:
        """Lines of it, as they come."""
        if self.far is not None:
            for line in lines:
                self.far.print(line)
            return
        control = self.job / "control"
        path = control / "printed.txt" if self.kind == "file" else control / "out" / f"run-{self.number}.txt"
        with path.open("a", newline="") as file:
            file.write("".join(f"{line}\r\n" for line in lines))

    def lose(self) -> None:
        """The link is lost, and there again: a cable, or a share."""
        if self.far is not None:
            while self.far.waiting:  # what the far end has not sent yet is its own to keep
                time.sleep(0.01)
            self.far.close()
            self.far = FarEnd(self.port)

    def close(self) -> None:
        """Switch it off."""
        if self.far is not None:
            self.far.close()


def _left(session: Session, orders: Orders) -> Order:
    return orders.measure(session.planner.measurement_of(point_at(session.setup, session.setup.drawn("left"))))


def _lines(identity: int, x: float) -> list[str]:
    """A report of the left edge, as the control prints it; `x` is where the ball's centre was."""
    return [
        f"BRISK 1 BEGIN O2100 I{identity}",
        "BRISK 1 TOOL T20 R2.9940 L150.0000",
        f"BRISK 1 TOUCH N1 X{x:.4f} Y-245.0000 Z-363.0000 I1.0000 J0.0000 K0.0000",
        f"BRISK 1 SOLVED M1 X{x + 2.994:.4f}",
        "BRISK 1 END N1",
    ]


async def _until(condition: Callable[[], bool], seconds: float = 20.0) -> None:
    end = time.monotonic() + seconds
    while not condition():
        if time.monotonic() > end:
            raise TimeoutError
        await asyncio.sleep(0.001)


async def _delays(kind: str, count: int) -> list[float]:
    """Seconds from the last printed line until the prompt says what came of it, and the chain is shown."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
        folder = Path(name)
        job, port = _shop(folder, kind)
        printer = Printer(job, kind, port)
        app = BriskAnchorApp(lambda: open_job(job, folder / "data", roll=0), job)
        found = []
        async with app.run_test(size=(160, 44)):
            await _until(lambda: app.view_state is not None)
            state = app.view_state
            assert state is not None
            assert state.desk is not None
            order = _left(state.session, state.desk.orders)
            await asyncio.sleep(4.0)
            for n in range(count):
                x = -452.85 + 0.0001 * (n + 1)
                lines = _lines(order.identity, x)
                wanted = f"left edge: X −{-(x + 2.994):.4f}"
                printer.begin()
                printer.print(lines[:-1])
                await asyncio.sleep(random.Random(n).uniform(0.05, 0.25))
                began = time.perf_counter()
                printer.print(lines[-1:])
                await _until(lambda w=wanted: w in str(app.query_one(Prompt)._key))
                drawn = asyncio.Event()
                app.call_after_refresh(drawn.set)
                await drawn.wait()
                found.append(time.perf_counter() - began)
        printer.close()
        return found


def delays(count: int) -> bool:
    """How soon a report is on the screen, by each kind of link."""
    good = True
    for kind in KINDS:
        found = asyncio.run(_delays(kind, count))
        slow = statistics.quantiles(found, n=20)[-1]
        print(
            f"{kind}: last printed line to the chain on the screen: median {1000 * statistics.median(found):.0f} ms, "
            f"95 % under {1000 * slow:.0f} ms of {count}"
        )
        good = good and slow < _SOON
    return good


class Broken:
    """A link of a kind that breaks in the middle of reports, and what was taken over it."""

    def __init__(self, folder: Path, kind: str) -> None:
        self.job, port = _shop(folder, kind)
        self.printer = Printer(self.job, kind, port)
        self.spool = folder / "wire.spool" if kind == "wire" else None
        self.session = open_job(self.job, folder / "data", roll=0)
        self.orders = Orders(self.session, self.job)
        self.order = _left(self.session, self.orders)
        self.ear = self.listener()

    def listener(self) -> Ear:
        """A listener as after kill -9: nothing of the one before is left but its files."""
        settings = self.session.link_settings
        assert settings is not None
        wire = Wire(settings.wire) if settings.wire is not None else None
        feed = feed_of(settings, wire, self.orders.folder.kept().mark)
        assert feed is not None
        return Ear(feed, self.spool)

    def hear(self, seconds: float, *, begun: bool = False) -> int:
        """Listen so long at most, or until a run has `begun` or was taken; how many were taken."""
        came, until = 0, time.monotonic() + seconds
        while time.monotonic() < until and not came and not (begun and self.ear.present is not None):
            try:
                runs = self.ear.hear(0.02)
            except LinkError:
                continue
            came += sum(self.orders.arrived(run).taken is not None for run in runs)
            if self.ear.between:
                self.orders.marked(dict(self.ear.feed.mark))
        return came

    def report(self, number: int, source: random.Random) -> tuple[int, bool]:
        """One report, broken off somewhere: how often it was taken, and whether what is known is what it said."""
        x = -452.85 + 0.0001 * (number + 1)
        lines = _lines(self.order.identity, x)
        cut = source.randrange(1, len(lines))
        self.printer.begin()
        self.printer.print(lines[:cut])
        self.hear(2.0, begun=True)
        if source.random() < 0.5:
            self.printer.lose()
        else:
            self.ear.feed.close()
            self.ear = self.listener()
        self.printer.print(lines[cut:])
        came = self.hear(4.0) + self.hear(0.06)
        measured = self.session.measured.get("left")
        known = measured is not None and abs(measured.feature.coordinate("x") - (x + 2.994)) < 1e-6
        return came, known

    def close(self) -> None:
        """Everything ends."""
        self.ear.feed.close()
        self.printer.close()
        self.session.close()


def losses(count: int) -> bool:
    """Reports broken off in the middle, by the link or by whoever listened: each is taken once."""
    good = True
    for kind in KINDS:
        source = random.Random(kind)
        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
            broken = Broken(Path(name), kind)
            found = [broken.report(n, source) for n in range(count)]
            broken.close()
        once = sum(came == 1 and known for came, known in found)
        lost, double = sum(came == 0 for came, _ in found), sum(came > 1 for came, _ in found)
        print(f"{kind}: of {count} reports broken off in the middle {once} taken once, {lost} lost, {double} double")
        good = good and once == count
    return good


async def _large(touches: int) -> tuple[float, list[float]]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
        folder = Path(name)
        job, port = _shop(folder, "file")
        printer = Printer(job, "file", port)
        app = BriskAnchorApp(lambda: open_job(job, folder / "data", roll=0), job)
        async with app.run_test(size=(160, 44)):
            await _until(lambda: app.view_state is not None)
            state = app.view_state
            assert state is not None
            assert state.desk is not None
            session, orders = state.session, state.desk.orders
            seat = session.planner.measurement_of(point_at(session.setup, session.setup.drawn("seat")))
            seat = replace(seat, repeats=_REPEATS)
            program = Program(2160, "seat", 654321, (ProgramLine("O2160", ""),))
            orders._hand_over(program, Kind.REPEAT, "seat", lambda _d, _o: True, measurement=seat, touches=touches)
            ways = ((1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0))
            lines = ["BRISK 1 BEGIN O2160 I654321", "BRISK 1 TOOL T20 R2.9940 L150.0000"]
            scatter = random.Random(5)
            for n in range(touches):
                dx, dy = ways[n // seat.repeats % 4]
                reach = 28.006 + scatter.gauss(0.0, 0.0005)
                x, y = -369.85 + reach * dx, -219.9 + reach * dy
                lines.append(f"BRISK 1 TOUCH N{n + 1} X{x:.4f} Y{y:.4f} Z-366.9565 I{dx:.4f} J{dy:.4f} K0.0000")
            lines.append(f"BRISK 1 END N{touches}")
            await asyncio.sleep(4.0)  # what is loaded after the start is not counted
            keys: list[float] = []
            began = time.perf_counter()
            printer.print(lines)
            while orders.folder.all()[-1].taken_at is None:
                at = time.perf_counter()
                await app.action_dispatch("tab")
                keys.append(time.perf_counter() - at)
                await asyncio.sleep(0.01)
                if time.perf_counter() - began > 30:
                    raise TimeoutError
            taken = time.perf_counter() - began
            app.post_message(events.Key("escape", None))
        return taken, keys


def large(touches: int) -> bool:
    """A large report, and how quick keys are while it is taken."""
    taken, keys = asyncio.run(_large(touches))
    slow = statistics.quantiles(keys, n=20)[-1] if len(keys) > 1 else keys[0]
    print(
        f"a report of {touches} touches: taken {taken:.2f} s after it was printed; meanwhile keys "
        f"{1000 * statistics.median(keys):.0f} ms, 95 % under {1000 * slow:.0f} ms of {len(keys)}"
    )
    return taken < 2.0 and slow < 0.05


def main() -> None:
    """Everything; so many losses a link as `--losses` says."""
    count = int(sys.argv[sys.argv.index("--losses") + 1]) if "--losses" in sys.argv else 100
    good = [delays(max(20, count // 2)), losses(count), large(10_008)]
    if not all(good):
        sys.exit(1)
