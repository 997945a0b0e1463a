"""What is wrong with a field of a file, in plain words instead of the messages of the library that checks it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from brisk_anchor.core.quantities import num

_FIGURE, _WHOLE, _SECTION, _LIST = "it is no figure", "it is no whole number", "it is no section", "it is no list"
_WORDS = {
    "missing": "it is missing",
    "extra_forbidden": "there is no such key here",
    "too_long": "there are more than {max_length}",
    "too_short": "there are fewer than {min_length}",
    "string_too_long": "it is longer than {max_length} characters",
    "string_too_short": "it is shorter than {min_length} characters",
    "string_type": "it is no text in quotes",
    "string_pattern_mismatch": "it is not written in the form {pattern}",
    "bool_type": "it is neither true nor false",
    "bool_parsing": "it is neither true nor false",
    "float_type": _FIGURE,
    "float_parsing": _FIGURE,
    "finite_number": _FIGURE,
    "int_type": _WHOLE,
    "int_parsing": _WHOLE,
    "int_from_float": _WHOLE,
    "literal_error": "it must be {expected}",
    "greater_than": "it must be more than {gt}",
    "greater_than_equal": "it must be at least {ge}",
    "less_than": "it must be less than {lt}",
    "less_than_equal": "it must be at most {le}",
    "list_type": _LIST,
    "tuple_type": _LIST,
    "dict_type": _SECTION,
    "model_type": _SECTION,
    "model_attributes_type": _SECTION,
}


def fault_words(item: Mapping[str, Any]) -> str:
    """One of Pydantic's complaints (its `type`, `msg` and `ctx`) in our words; ours stay as they were raised."""
    form = _WORDS.get(item["type"])
    if form is None:
        return str(item["msg"]).removeprefix("Value error, ")
    return form.format(**{k: num(v) if isinstance(v, float) else v for k, v in item.get("ctx", {}).items()})
