"""Classes whose methods are made late behave as the library's own: each rule is held against that."""

from __future__ import annotations

import ast
import copy
import dataclasses
import pickle
import subprocess
import sys
import threading
from pathlib import Path
from typing import ClassVar

import pytest

import brisk_anchor
from brisk_anchor.lazy_dataclass import dataclass as lazy_dataclass


def classes(maker):
    """One class of each kind in use."""

    @maker(frozen=True, slots=True)
    class Frozen:
        name: str
        size: float = 1.0
        parts: list[int] = dataclasses.field(default_factory=list, compare=False)
        seen: int = dataclasses.field(default=3, repr=False)
        kind: ClassVar[str] = "frozen"
        twice: float = dataclasses.field(init=False, default=0.0)

        def __post_init__(self) -> None:
            object.__setattr__(self, "twice", 2.0 * self.size)

    @maker(slots=True)
    class Open:
        a: int
        b: int = 2

    @maker(frozen=True, slots=True, eq=False)
    class Same:
        a: int

    @maker(frozen=True, slots=True)
    class Judged:
        a: int

        def __eq__(self, other: object) -> bool:
            return isinstance(other, Judged)

        def __hash__(self) -> int:
            return 7

        def __repr__(self) -> str:
            return "judged"

    @maker(frozen=True, slots=True)
    class JudgedHashed:
        a: int

        def __eq__(self, other: object) -> bool:
            return True

    @maker()
    class Base:
        a: int

        def name(self) -> str:
            return "base"

    @maker()
    class Child(Base):
        b: int = 5

        def __post_init__(self) -> None:
            self.a += 1

    return Frozen, Open, Same, Judged, JudgedHashed, Base, Child


def told(what):
    """What a call gives: its result, or the kind of its error."""
    try:
        return what()
    except (TypeError, AttributeError, dataclasses.FrozenInstanceError) as error:
        return type(error)


def matched(one):
    match one:
        case object(a=a):
            return a
    return None


def places(one):
    """Field for field, whatever class it is of."""
    return {field.name: getattr(one, field.name) for field in dataclasses.fields(one)}


QUESTIONS = {
    "made": lambda c: [
        told(lambda: places(c[0]("x"))),
        told(lambda: places(c[0]("x", 2.0, [1], seen=4))),
        told(lambda: c[0]()),
        told(lambda: c[0]("x", twice=1.0)),
        told(lambda: places(c[1](1))),
        told(lambda: places(c[6](1, 2))),
        told(lambda: c[6](1, 2, 3)),
    ],
    "a default is made anew": lambda c: c[0]("x").parts is c[0]("x").parts,
    "told": lambda c: [repr(c[0]("x", 2.0)), repr(c[1](1)), repr(c[2](4)), repr(c[3](1)), repr(c[6](1))],
    "equal": lambda c: [
        c[0]("x", parts=[1]) == c[0]("x", parts=[2]),
        c[0]("x") == c[0]("y"),
        c[1](1) == c[1](1, 2),
        c[1](1) != c[1](1, 3),
        c[1](1) == 1,
        c[2](1) == c[2](1),
        c[3](1) == c[3](2),
        c[5](1) == c[6](0),
        (same := c[2](1)) == same,
    ],
    "hashed": lambda c: [
        hash(c[0]("x", parts=[1])) == hash(("x", 1.0, 3, 2.0)),
        told(lambda: hash(c[1](1))),
        len({c[2](1), c[2](1)}),
        hash(c[3](1)),
        hash(c[4](5)) == hash((5,)),
        told(lambda: hash(c[6](1))),
    ],
    "changed": lambda c: [
        told(lambda: setattr(c[0]("x"), "size", 2.0)),
        told(lambda: delattr(c[0]("x"), "size")),
        told(lambda: setattr(c[0]("x"), "other", 2.0)) in (dataclasses.FrozenInstanceError, AttributeError, TypeError),
        told(lambda: setattr(c[1](1), "other", 2.0)),
        told(lambda: setattr(c[1](1), "a", 2)),
        told(lambda: setattr(c[6](1), "other", 2)),
        told(lambda: places(dataclasses.replace(c[0]("x", seen=9), size=4.0))),
        told(lambda: dataclasses.replace(c[0]("x"), sise=4.0)),
    ],
    "copied": lambda c: [
        [places(way(one)) for one in (c[0]("x", 2.0), c[1](1), c[2](3), c[6](1, 2))]
        for way in (copy.copy, copy.deepcopy)
    ],
    "read": lambda c: [
        [dataclasses.asdict(one) for one in (c[0]("x", 2.0), c[1](1))],
        [[field.name for field in dataclasses.fields(each)] for each in c],
        [each.__match_args__ for each in c],
        [matched(c[1](7)), c[6](1).name(), isinstance(c[6](1), c[5]), c[0].kind],
        [hasattr(c[k](1), "__dict__") for k in (1, 2, 6)],
    ],
}


@pytest.mark.parametrize("question", QUESTIONS.values(), ids=QUESTIONS)
def test_what_is_made_late_is_what_the_library_makes(question):
    assert question(classes(lazy_dataclass)) == question(classes(dataclasses.dataclass))


def test_the_first_call_of_each_method_comes_in_any_order():
    frozen = classes(lazy_dataclass)[0]
    one = object.__new__(frozen)
    for name, value in (("name", "x"), ("size", 1.0), ("parts", []), ("seen", 3), ("twice", 2.0)):
        object.__setattr__(one, name, value)
    assert {one, one} == {one}
    assert one == frozen("x")
    assert vars(frozen)["__init__"].__qualname__ == f"{frozen.__qualname__}.__init__"


def test_threads_that_meet_at_the_first_call_all_get_theirs():
    for _ in range(50):
        kind, gate, made = classes(lazy_dataclass)[0], threading.Barrier(8), []

        def make(kind=kind, gate=gate, made=made):
            gate.wait()
            made.append(kind("x", 2.0))

        threads = [threading.Thread(target=make) for _ in range(8)]
        for each in threads:
            each.start()
        for each in threads:
            each.join()
        assert len(set(made)) == 1
        assert len(made) == 8


@lazy_dataclass(frozen=True, slots=True)
class Sent:
    a: int
    b: tuple[int, ...] = ()


def test_one_is_sent_to_another_process():
    assert pickle.loads(pickle.dumps(Sent(1, (2, 3)))) == Sent(1, (2, 3))


def test_every_data_class_of_the_product_is_made_this_way():
    root = Path(brisk_anchor.__file__).parent
    found = []
    for path in root.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module == "dataclasses":
                found += [path.name for each in node.names if each.name == "dataclass"]
    assert found == ["lazy_dataclass.py"]


def test_a_module_that_is_loaded_has_compiled_no_method_that_nobody_called():
    code = (
        "import brisk_anchor.services.results.inspected as m, dataclasses\n"
        "own = [c for c in vars(m).values() if dataclasses.is_dataclass(c) and c.__module__ == m.__name__]\n"
        "print(len(own), sum(c.__init__.__code__.co_name == 'first_call' for c in own))"
    )
    run = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    classes_of_the_module, not_called = map(int, run.stdout.split())
    assert classes_of_the_module == not_called > 1
