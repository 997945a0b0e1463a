"""Every reader of files from outside, fed with spoiled ones: each says what is wrong, or reads; none hangs or grows.

Cases run in forked batches, so that a reader that never ends or takes all memory ends its batch and is told. A figure
is given for each reader: cases, those refused, the slowest, and the memory that a batch of it added at the most.
"""

from __future__ import annotations

import json
import os
import random
import resource
import signal
import struct
import sys
import tempfile
import time
import traceback
from collections.abc import Callable, Iterator
from importlib import resources
from pathlib import Path

CASES = 100_000
BATCH = 400
LONGEST, MEMORY = 5, 1_000_000_000
"""Seconds of a case, and bytes that a batch may have besides what it begins with."""
Reader = Callable[[bytes], object]
_PIECES = (
    b"[", b"]", b"{", b"}", b'"', b"'''", b"=", b"#", b",", b";", b"\n", b"\x00", b"\xff", b"-", b"+", b".", b"9" * 40,
    b"1e308", b"nan", b"inf", b"-0", b"true", b"(" * 50, b"[[", b"]]", b"%", b"G10 L2 P1 X1.", b"\xe2\x88\x92", b"0x7f",
    b"..", b"/", b"\\", b"\x1b[2J", b"1979-05-27", b'"""', b"null", b"a.b.c = 1", b"1_000",
)  # fmt: skip


def spoiled(data: bytes, source: random.Random) -> bytes:
    """A real file with some of its bytes, words or lines changed, dropped, doubled, exchanged or cut off."""
    for _ in range(source.randint(1, 5)):
        lines = data.split(b"\n")
        at = source.randrange(len(lines))
        line = lines[at]
        i = source.randrange(len(line) + 1)
        match source.randrange(8):
            case 0:
                lines[at] = line[:i] + source.choice(_PIECES) + line[i:]
            case 1:
                lines[at] = line[:i] + line[i + source.randint(1, 6) :]
            case 2:
                lines.insert(at, lines[source.randrange(len(lines))])
            case 3:
                del lines[at]
            case 4:
                lines[at] = line[:i] + bytes((source.randrange(256),)) + line[i + 1 :]
            case 5:
                other = source.randrange(len(lines))
                lines[at], lines[other] = lines[other], lines[at]
            case 6 if b"=" in line:
                lines[at] = line.split(b"=")[0] + b"= " + source.choice(_PIECES)
            case 7 if source.random() < 0.2:
                return data[: source.randrange(len(data) + 1)]
        data = b"\n".join(lines) or b"\n"
    return data


def _samples(name: str) -> list[bytes]:
    folder = resources.files("brisk_anchor")
    for part in name.split("/")[:-1]:
        folder = folder / part
    ending = name.rpartition("/")[2].removeprefix("*")
    return [entry.read_bytes() for entry in sorted(folder.iterdir(), key=str) if entry.name.endswith(ending)]


def _text(read: Callable[[str], object]) -> Reader:
    """A reader of text given bytes; what is no text is refused before it."""

    def reader(data: bytes) -> object:
        try:
            text = data.decode("utf-8")
        except UnicodeDecodeError:
            return None
        return read(text)

    return reader


def _file(read: Callable[[Path], object], name: str, folder: Path) -> Reader:
    """A reader of a file of that name."""

    def reader(data: bytes) -> object:
        path = folder / name
        path.write_bytes(data)
        return read(path)

    return reader


def readers(folder: Path) -> dict[str, tuple[Reader, list[bytes]]]:
    """Every reader by what it reads, with sound files to spoil."""
    from tests.nc.collector import Collector

    from brisk_anchor.exchange.dxf import read_dxf
    from brisk_anchor.exchange.presetter import PresetterColumns, parse_presetter
    from brisk_anchor.exchange.stl import read_stl
    from brisk_anchor.exchange.tables.block_form import from_blocks
    from brisk_anchor.exchange.tables.csv_form import from_csv, from_saved
    from brisk_anchor.exchange.tables.json_form import from_json, to_json
    from brisk_anchor.exchange.tables.rows import TableRow
    from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile
    from brisk_anchor.nc.profile.sections import SavedTable
    from brisk_anchor.nc.programs.reports import parse_reports
    from brisk_anchor.nc.read.extents import read_extents
    from brisk_anchor.nc.read.interpreter import Interpreter
    from brisk_anchor.services.insert.weaving import take_apart
    from brisk_anchor.services.job.jobs import load_job, new_job
    from brisk_anchor.services.plan.plan_file import parse_plan
    from brisk_anchor.services.session.session import Session
    from brisk_anchor.services.turning.turning_job import read_turning
    from brisk_anchor.standin.scene import build_scene
    from brisk_anchor.standin.scene_file import load_scene, parse_scene

    profile = shipped_profile("skip-macro")
    session = Session(build_scene(load_scene("heron-gl114")), None, profile, seed=None)
    program = session.programs.full_program("G54")
    new_job(folder)
    plain = {name: (folder / f"{name}.toml").read_bytes() for name in ("job", "part", "fixture", "machine")}
    chain = _stored_chain(session)
    saved = SavedTable(row="WPC", x="DX", y="DY", z="DZ", units="mm", prefix="G", separator=";")
    columns = PresetterColumns(
        number="T", x="D", z="L", x_is="diameter", length_units="mm", spread=0.002, separator=";"
    )

    def job(name: str) -> Callable[[str], object]:
        texts = {f"{key}.toml": data.decode() for key, data in plain.items()}
        return lambda text: load_job(folder, texts | {f"{name}.toml": text})

    def extents(data: bytes) -> object:
        import io

        return read_extents(io.BytesIO(data))

    mesh = b"\0" * 80 + struct.pack("<I", 2) + struct.pack("<12fH", 0, 0, 1, 0, 0, 0, 9, 0, 0, 0, 5, 0, 0) * 2
    triangle = b"facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 90 0 0\nvertex 0 50 0\nendloop\nendfacet\n"
    found: dict[str, tuple[Reader, list[bytes]]] = {
        "profile": (_text(lambda text: parse_profile(text, "p")), _samples("nc/profile/shipped/*.toml")),
        "scene": (_text(lambda text: parse_scene(text, "s")), _samples("standin/scenes/*.toml")),
        "plan": (_text(lambda text: parse_plan(text, "p")), _samples("services/examples/plans/*.toml")),
        "job to turn": (
            _text(lambda text: read_turning(text, folder / "turning.toml")),
            _samples("services/examples/sleeve/*.toml"),
        ),
        **{f"job, {name}": (_text(job(name)), [data]) for name, data in plain.items()},
        "NC program": (
            _text(lambda text: Interpreter(text, profile, Collector()).run(2000)),
            [program.text.encode(), *_samples("services/examples/plans/*.nc")],
        ),
        "extents": (extents, [program.text.encode(), *_samples("services/examples/plans/*.nc")]),
        "cutting program": (_text(take_apart), _samples("services/examples/plans/*.nc")),
        "offset blocks": (
            lambda data: from_blocks(data, "b", profile),
            [b"%\nG21 G90 G10 L2 P1 X-1.25 Y2. Z-300.\nG10 L20 P48 X1. Y2. Z3. (NOTE)\n#5221=-1.5\n%\n"],
        ),
        "table, CSV": (
            lambda data: from_csv(data, "c"),
            [b"row,name,unit,x,y,z,r,u_x\nG54,lever,mm,-430.2,1.5,-300,0.5,0.001\nG55,,in,1,2,3,,\n"],
        ),
        "table, JSON": (
            lambda data: from_json(data, "j"),
            [to_json("Heron", [TableRow("G54", {"x": -1.5, "y": 2.0, "z": 3.0}, {"x": 0.001}, "lever")])],
        ),
        "saved table": (lambda data: from_saved(data, "s", saved), [b"WPC;DX;DY;DZ\n54;1.0;2;3\n55;-7.5;-2.5;-3.5\n"]),
        "presetter": (
            _text(lambda text: parse_presetter(text, "p", columns)),
            [b"T,L,D\n5,148.2,8.5\n12,131.418,12.002\n"],
        ),
        "reports": (_text(lambda text: parse_reports(text.splitlines())), [_report(session)]),
        "chain of the book": (_text(_chain), [chain.encode()]),
        "DXF": (_file(read_dxf, "d.dxf", folder), [*_samples("services/examples/bc-27/*.dxf"), _dxf(folder)]),
        "STL": (
            _file(lambda path: read_stl(path, unit=1.0), "m.stl", folder),
            [mesh, b"solid x\n" + triangle * 4],
        ),
    }
    return found


def _chain(text: str) -> object:
    """The chain of an entry, refused as the book refuses it."""
    from brisk_anchor.book.chain_form import loaded
    from brisk_anchor.core.errors import BookError

    try:
        return loaded(text)
    except ValueError as error:
        raise BookError(str(error)[:80], "", "") from error


def _stored_chain(session: object) -> str:
    """A chain with features and touches."""
    from brisk_anchor.book.chain_form import dumped
    from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
    from brisk_anchor.services.session.session import Session

    assert isinstance(session, Session)
    for drawn in session.setup.features:
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))
    return dumped(session.writer.store("G54"))


def _report(session: object) -> bytes:
    from brisk_anchor.services.machine.runs import Run
    from brisk_anchor.services.session.session import Session

    assert isinstance(session, Session)
    program = session.programs.full_program("G54")
    run = Run(program, session.profile, session.scene.stand_in(seed=None))
    run.to_end()
    return "\n".join(run.printed).encode()


def _dxf(folder: Path) -> bytes:
    import ezdxf

    drawing = ezdxf.new()
    drawing.units = 4
    drawing.modelspace().add_lwpolyline([(0, 0), (80, 0), (80, 50), (0, 50)], close=True)
    drawing.modelspace().add_circle((20, 20), 6)
    drawing.saveas(folder / "made.dxf")
    return (folder / "made.dxf").read_bytes()


def _batch(reader: Reader, samples: list[bytes], seed: int, count: int, tell: int) -> None:
    """What a child does: read spoiled files, and write what came of each batch as one line of JSON."""
    from brisk_anchor.core.errors import BriskAnchorError

    source, refused, slowest, wrong = random.Random(seed), 0, 0.0, []
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    held = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (held + MEMORY, held + MEMORY))
    for _ in range(count):
        data = spoiled(source.choice(samples), source)
        began = time.perf_counter()
        signal.alarm(LONGEST)
        try:
            reader(data)
        except BriskAnchorError:
            refused += 1
        except Exception:  # noqa: BLE001 whatever else it is: it is what is looked for
            told = traceback.format_exc().strip().splitlines()
            wrong.append([told[-1][:200], told[-3].strip()[:160], data[:2000].decode("latin-1")])
        signal.alarm(0)
        slowest = max(slowest, time.perf_counter() - began)
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
    os.write(tell, json.dumps([refused, slowest, grown, wrong[:3], len(wrong)]).encode())


def _batches(count: int) -> Iterator[int]:
    while count > 0:
        yield min(BATCH, count)
        count -= BATCH


def spoiled_files(cases: int = CASES, only: str = "") -> bool:
    """Feed every reader; print a line each. Whether none failed."""
    good = True
    with tempfile.TemporaryDirectory() as name:
        known = {key: pair for key, pair in readers(Path(name)).items() if only in key}
        for key, (reader, samples) in known.items():
            share, seed = cases // len(known), 0
            refused, slowest, grown, wrong, examples, ended = 0, 0.0, 0, 0, [], []
            for count in _batches(share):
                seed += 1
                ours, theirs = os.pipe()
                pid = os.fork()
                if not pid:
                    os.close(ours)
                    try:
                        _batch(reader, samples, seed, count, theirs)
                    finally:
                        os._exit(0)
                os.close(theirs)
                told = b""
                while piece := os.read(ours, 65536):
                    told += piece
                os.close(ours)
                status = os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])
                if status or not told:
                    ended.append(f"batch {seed} ended with {status}")
                    continue
                one = json.loads(told)
                refused, slowest, grown = refused + one[0], max(slowest, one[1]), max(grown, one[2])
                wrong, examples = wrong + one[4], [*examples, *one[3]][:3]
            print(
                f"{key:18} {share:6} cases, {refused:6} refused, slowest {slowest * 1000:6.0f} ms, "
                f"at most {grown / 1024:+6.1f} MB, {wrong} in a traceback{''.join(f', {e}' for e in ended[:3])}",
                flush=True,
            )
            for what, where, data in examples:
                print(f"    {what}\n    {where}\n    {data[:200]!r}")
            good = good and not wrong and not ended
    return good


def main() -> None:
    """`--cases N` for another number, `--only WORD` for some readers."""
    arguments = dict(zip(sys.argv, sys.argv[1:], strict=False))
    good = spoiled_files(int(arguments.get("--cases", CASES)), arguments.get("--only", ""))
    print(f"{'GOOD' if good else 'FAILED'}: readers of files from outside")
    if not good:
        raise SystemExit(1)
