"""Operators and figures of a module changed one at a time: does a test fail? Those that none notices are told.

`python -m benchmarks mutants --of checks --count 20` draws twenty; the tests are those said to hold the module.
"""

from __future__ import annotations

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

HELD: dict[str, tuple[str, tuple[str, ...]]] = {
    "checks": (
        "core/offsets/checks.py",
        ("tests/core/test_checks.py", "tests/test_line.py", "tests/test_honest.py", "tests/test_book_rules.py"),
    ),
    "shelf": ("core/tools/shelf.py", ("tests/core/test_tool_setting.py", "tests/test_tool_shelf.py")),
    "macro": (
        "nc/write/macro_writer.py",
        ("tests/nc/test_writer.py", "tests/test_plan_tools.py", "tests/test_plan_ways.py", "tests/test_line.py"),
    ),
    "subprograms": ("nc/write/subprograms.py", ("tests/nc/test_writer.py", "tests/test_written_code.py")),
    "plan": (
        "nc/programs/plan.py",
        ("tests/nc/test_writer.py", "tests/test_plan_tools.py", "tests/test_plan_ways.py", "tests/test_line.py"),
    ),
    "operations": ("nc/read/operations.py", ("tests/test_weave_state.py", "tests/test_weaving.py")),
    "lengths": ("core/lengths_in_sums.py", ("tests/core/test_lengths_in_sums.py",)),
}
"""A word, the module it means, and the tests that hold it, quickest first."""
_OTHERS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.And: ast.Or,
    ast.Or: ast.And,
}


def _places(tree: ast.AST) -> list[tuple[ast.AST, str, int]]:
    """Nodes that can be changed, with the field and place of what changes in them."""
    found: list[tuple[ast.AST, str, int]] = []
    # How a dataclass is made, and whether zip looks at lengths, decides nothing that a program or a figure could show.
    made = [d for node in ast.walk(tree) if isinstance(node, ast.ClassDef) for d in node.decorator_list]
    held = [node.value for node in ast.walk(tree) if isinstance(node, ast.keyword) and node.arg == "strict"]
    aside = {id(part) for whole in (*made, *held) for part in ast.walk(whole)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Compare):
            found += [(node, "ops", n) for n, op in enumerate(node.ops) if type(op) in _OTHERS]
        elif isinstance(node, ast.BinOp | ast.BoolOp) and type(node.op) in _OTHERS:
            found.append((node, "op", -1))
        elif isinstance(node, ast.Constant) and isinstance(node.value, int | float) and id(node) not in aside:
            found.append((node, "value", -1))
    return found


def _changed(node: ast.AST, field: str, at: int) -> str:
    """Change it; in words."""
    if field == "value":
        before = node.value  # type: ignore[attr-defined]
        after = (
            (not before) if isinstance(before, bool) else before + 1 if isinstance(before, int) else before * 1.5 + 1e-3
        )
        node.value = after  # type: ignore[attr-defined]
    elif field == "ops":
        before, after = node.ops[at], _OTHERS[type(node.ops[at])]()  # type: ignore[attr-defined]
        node.ops[at] = after  # type: ignore[attr-defined]
    else:
        before, after = node.op, _OTHERS[type(node.op)]()  # type: ignore[attr-defined]
        node.op = after  # type: ignore[attr-defined]
    names = [part if isinstance(part, int | float) else type(part).__name__ for part in (before, after)]
    return f"line {node.lineno}: {names[0]} → {names[1]}"  # type: ignore[attr-defined]


def _noticed(copy: Path, tests: tuple[str, ...]) -> bool:
    """Whether one of the tests fails with the changed copy; one that never ends has noticed it too."""
    surroundings = os.environ | {"PYTHONPATH": str(copy)}
    for test in (test for test in tests if Path(test).exists()):
        command = [sys.executable, "-m", "pytest", "-n0", "-x", "-p", "no:cacheprovider", test]
        try:
            done = subprocess.run(command, capture_output=True, env=surroundings, timeout=240)
        except subprocess.TimeoutExpired:
            return True
        if done.returncode:
            return True
    return False


def main() -> None:
    """`--of WORD` for one module, `--count N`, `--seed N`."""
    given = dict(zip(sys.argv, sys.argv[1:], strict=False))
    count, seed = int(given.get("--count", 12)), int(given.get("--seed", 1))
    for word in [given["--of"]] if "--of" in given else HELD:
        name, tests = HELD[word]
        source, survived = random.Random(seed), []
        text = (Path("src/brisk_anchor") / name).read_text()
        drawn = source.sample(range(len(_places(ast.parse(text)))), k=min(count, len(_places(ast.parse(text)))))
        for number in drawn:
            tree = ast.parse(text)
            told = _changed(*_places(tree)[number])
            with tempfile.TemporaryDirectory() as folder:
                shutil.copytree("src/brisk_anchor", Path(folder) / "brisk_anchor")
                (Path(folder) / "brisk_anchor" / name).write_text(ast.unparse(tree))
                if not _noticed(Path(folder), tests):
                    line = text.splitlines()[int(told.split()[1].rstrip(":")) - 1].strip()
                    survived.append(f"{told}   {line[:100]}")
        print(f"{word:12} {len(drawn):3} of {len(_places(ast.parse(text)))} changed, {len(survived)} not noticed")
        for told in survived:
            print(f"    {told}", flush=True)
