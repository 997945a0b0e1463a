"""Extents of a million blocks against a plain regular-expression tokenizer in the same process; peak memory."""

from __future__ import annotations

import io
import re
import statistics
import time
import tracemalloc

import numpy as np

from brisk_anchor.nc.read.extents import read_extents

BLOCKS = 1_000_000
ROUNDS = 5


def main() -> None:
    """Print blocks a second for both, their ratio, and the peak of memory."""
    source = np.random.default_rng(7)
    places = source.uniform(-300, 300, (BLOCKS, 3)).round(3).tolist()
    head = "G21 G90 G54 G17 G1 F800\n"
    data = (head + "".join(f"X{x} Y{y} Z{z}\n" for x, y, z in places)).encode()
    token = re.compile(r"([A-Z])(-?\d+\.?\d*)")
    ours, plain = [], []
    for _ in range(ROUNDS):
        started = time.perf_counter()
        reader = read_extents(io.BytesIO(data))
        ours.append(time.perf_counter() - started)
        started = time.perf_counter()
        count = 0
        for line in io.BytesIO(data):
            count += len([(letter, float(value)) for letter, value in token.findall(line.decode())])
        plain.append(time.perf_counter() - started)
    a, b = statistics.median(ours), statistics.median(plain)
    print(
        f"{BLOCKS} blocks, {len(data) / 1e6:.0f} MB: {BLOCKS / a / 1e6:.2f} M blocks/s, "
        f"tokenizer {BLOCKS / b / 1e6:.2f}: {b / a:.1f} ×"
    )
    low = reader.extents["G54"].low
    print("same floats:", low == np.array(places).min(axis=0).tolist(), f"({reader.quick_blocks} blocks read at once)")
    for size in (1, 4):
        big = io.BytesIO(data * size)
        tracemalloc.start()
        read_extents(big)
        print(f"peak memory over {size} × the program: {tracemalloc.get_traced_memory()[1] / 1e6:.0f} MB")
        tracemalloc.stop()
