"""A job of one's own at size: a drawing of 100,000 entities and a mesh of 1,000,000 triangles, to a job that opens.

The baseline of the drawing is what its reader (ezdxf) needs to load it and walk its entities; that of the mesh is NumPy
reading the bytes. Each is measured in a process of its own, so that the memory is its own.
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from benchmarks.start import Terminal

ENTITIES, TRIANGLES = 100_000, 1_000_000

_READ = """
import resource, sys, time
from pathlib import Path
start = time.perf_counter()
{work}
seconds = time.perf_counter() - start
print(f"{{seconds:.3f}} {{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f}}")
"""
_BEGIN = """
from brisk_anchor.services.job.new_job import DrawingSource, begin_job
from brisk_anchor.services.job.jobs import load_job
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.tui.canvas import Canvas
from brisk_anchor.tui.picture import Picture, draw_ground, projections
folder = Path(sys.argv[2])
begin_job(folder, drawing=DrawingSource(Path(sys.argv[1]), units="mm", thickness=20.0))
picture = Picture(build_scene(load_job(folder).scene(0)).setup)
for view, rows, front in zip(projections(picture, 100, 24, 14, 1.1), (24, 14), (False, True)):
    draw_ground(Canvas(100, rows), picture, view, front=front)
"""
_BASE = {
    ".dxf": "import ezdxf\nprint(sum(1 for _ in ezdxf.readfile(sys.argv[1]).modelspace()), file=sys.stderr)",
    ".stl": "import numpy as np\nnp.fromfile(sys.argv[1], dtype=np.uint8)[84:].sum()",
}


def drawing(path: Path) -> None:
    """A plate with a border, and a hundred thousand circles, squares and lines on it."""
    import ezdxf

    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (700, 0), (700, 400), (0, 400)], close=True)
    side = int((ENTITIES - 1) ** 0.5) + 1
    for number in range(ENTITIES - 1):
        x, y = 5 + 690 * (number % side) / side, 5 + 390 * (number // side) / side
        if number % 3 == 0:
            space.add_circle((x, y), 0.3 + number % 7 * 0.05)
        elif number % 3 == 1:
            space.add_lwpolyline([(x, y), (x + 0.5, y), (x + 0.5, y + 0.4), (x, y + 0.4)], close=True)
        else:
            space.add_line((x, y), (x + 0.5, y + 0.2))
    document.saveas(path)


def mesh(path: Path) -> None:
    """A plate 300 × 200 × 20 whose top and bottom are cut into squares, in binary STL."""
    columns = 500
    rows = TRIANGLES // 4 // columns
    xs, ys = np.linspace(0, 300, columns + 1), np.linspace(0, 200, rows + 1)
    corners = []
    for z, flip in ((0.0, False), (-20.0, True)):
        grid = np.stack([*np.meshgrid(xs, ys, indexing="ij"), np.full((columns + 1, rows + 1), z)], axis=-1)
        a, b, c, d = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
        for first, second, third in ((a, b, c), (a, c, d)):
            order = (first, third, second) if flip else (first, second, third)
            corners.append(np.stack(order, axis=-2).reshape(-1, 3, 3))
    points = np.concatenate(corners).astype("<f4")
    record = np.zeros(len(points), dtype=[("normal", "<f4", 3), ("corner", "<f4", (3, 3)), ("rest", "<u2")])
    record["corner"] = points
    path.write_bytes(bytes(80) + np.uint32(len(points)).tobytes() + record.tobytes())


def _measured(work: str, *arguments: str) -> tuple[float, float]:
    command = [sys.executable, "-c", _READ.format(work=work), *arguments]
    told = subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()
    return float(told[-2]), float(told[-1])


def main() -> None:
    """Print seconds, ratio to the baseline, memory; then keys on the bench of the large drawing."""
    with tempfile.TemporaryDirectory() as place:
        for name, make in (("plate.dxf", drawing), ("plate.stl", mesh)):
            path = Path(place) / name
            make(path)
            base, _ = _measured(_BASE[path.suffix], str(path))
            seconds, memory = _measured(_BEGIN, str(path), str(Path(place) / f"job-{path.suffix[1:]}"))
            size = path.stat().st_size / 1e6
            told = f"{seconds:.1f} s, {seconds / base:.1f} × reading it, {memory:.0f} MB"
            print(f"{name} ({size:.0f} MB) to the picture: {told}")
        job = str(Path(place) / "job-dxf")
        terminal = Terminal([sys.executable, "-m", "brisk_anchor", "open", job, "--speed", "50"])
        terminal.read_until(b"Press f", 60.0)
        times = [terminal.key(key) for _ in range(12) for key in (b"f", b"d", b"a", b"v", b"\t", b"+", b"-", b"m")]
        memory = terminal.memory()
        terminal.close()
        quick = statistics.quantiles(times, n=20)[18] * 1000
        median = statistics.median(times) * 1000
        print(f"bench of the drawing: key to screen median {median:.0f} ms, 95 % {quick:.0f} ms, {memory:.0f} MB")
