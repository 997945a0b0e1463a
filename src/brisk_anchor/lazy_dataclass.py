"""Data classes of the standard library whose methods are made when they are first called.

The library compiles four to seven methods for each class while its module loads, 1 ms a class. The application has
some 380 of them and uses a part in a run: made late they take a fifth off its start. A type checker sees the library's
own decorator, and the methods are the library's: it makes them for a twin of the class, which hands them over.
"""

from __future__ import annotations

import dataclasses
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from dataclasses import dataclass as dataclass
else:

    def dataclass(*, frozen: bool = False, slots: bool = False, eq: bool = True):
        """Decorate a class as the library's `dataclass` does, with those of its choices that are in use here."""

        def made(plain: type) -> type:
            own = vars(plain).copy()
            if not plain.__doc__:
                plain.__doc__ = plain.__name__  # or the library works out a signature for it
            cls = dataclasses.dataclass(init=False, repr=False, eq=False, slots=slots)(plain)
            hashed = own.get("__hash__") is not None or ("__hash__" in own and "__eq__" not in own)
            for name in ("__init__", "__repr__", *(("__eq__",) if eq else ())):
                if name not in own:
                    setattr(cls, name, _made_when_called(cls, name, slots=slots, frozen=frozen))
            if eq and not hashed:
                cls.__hash__ = _made_when_called(cls, "__hash__", slots=slots, frozen=frozen) if frozen else None
            if frozen:
                cls.__setattr__, cls.__delattr__ = _refuse_setting, _refuse_deleting
                if slots:
                    cls.__getstate__, cls.__setstate__ = _state_of, _take_state
            return cls

        return made


def _made_when_called(cls: type, name: str, *, slots: bool, frozen: bool) -> Any:
    """A method that has the library make the one of this name, puts it in its own place and goes on with it."""

    def first_call(self: object, *given: Any, **named: Any) -> Any:
        fields: dict[str, Any] = {field.name: field for field in dataclasses.fields(cls)}
        twin = type(cls.__name__, (), {"__doc__": cls.__doc__, "__module__": cls.__module__, **fields})
        twin.__qualname__ = cls.__qualname__
        twin.__annotations__ = {field.name: field.type for field in fields.values()}
        if hasattr(cls, "__post_init__"):
            twin.__post_init__ = cls.__post_init__  # type: ignore[attr-defined]
        if name == "__init__":
            twin = dataclasses.dataclass(repr=False, eq=False, slots=slots, frozen=frozen)(twin)
        else:
            twin = dataclasses.dataclass(init=False, unsafe_hash=name == "__hash__", repr=name == "__repr__")(twin)
        method = vars(twin)[name]
        setattr(cls, name, method)
        return method(self, *given, **named)

    first_call.__name__ = name
    return first_call


def _refuse_setting(_: object, name: str, value: object) -> None:
    raise dataclasses.FrozenInstanceError(f"cannot assign to field {name!r}")


def _refuse_deleting(_: object, name: str) -> None:
    raise dataclasses.FrozenInstanceError(f"cannot delete field {name!r}")


def _state_of(one: Any) -> list[Any]:
    """What a frozen object with slots is copied and sent by: neither can be set from outside."""
    return [getattr(one, field.name) for field in dataclasses.fields(one)]


def _take_state(one: Any, state: list[Any]) -> None:
    for field, value in zip(dataclasses.fields(one), state, strict=True):
        object.__setattr__(one, field.name, value)
