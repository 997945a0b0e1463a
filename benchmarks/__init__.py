"""Figures to report. `make bench` prints them; ratios are against a baseline run in the same minute."""

from __future__ import annotations

import sys
from collections import Counter
from collections.abc import Sequence


def told_all(told: Counter[str], wrong: Sequence[str], *, enough: bool) -> None:
    """Print what happened how often and what was wrong. Exits 1 where anything was, or too little was looked at."""
    for name, times in sorted(told.items()):
        print(f"  {times:6} {name}")
    for words in wrong:
        print(f"  WRONG {words}")
    if wrong or not enough:
        sys.exit(1)
