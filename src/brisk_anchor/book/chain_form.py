"""How a chain is kept in the book: as JSON, with what it names often written once. Older forms are read as well.

A chain as it is in memory names its sources at every figure and the whole tool at every touch. In the book each source
and each tool stands once in a list, and its place in that list where it is used. Of a feature with very many touches
every so many are kept, with their residuals: what all of them said of its figures is in their covariance.
"""

from __future__ import annotations

import json
import re
from dataclasses import replace
from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter

from brisk_anchor.core.offsets.chain import Chain

FORM = 2
MOST_TOUCHES = 40
"""So many touches of a feature are kept."""
_SHARED = "shared "
_DEFAULTS = {"label": "", "own": False, "group": "", "freedom": None, "bounded": False, "uniform": False}


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[Chain]:
    return TypeAdapter(Chain)


def dumped(chain: Chain) -> str:
    """A chain as text; the scatter of its touches is drawn together first."""
    data: dict[str, Any] = _adapter().dump_python(_few(chain.folded()), mode="json")
    sources: list[dict[str, Any]] = []
    places: dict[str, int] = {}
    tools: list[Any] = []

    def at(source: dict[str, Any]) -> int:
        if source["name"] not in places:
            places[source["name"]] = len(sources)
            sources.append({key: value for key, value in source.items() if _DEFAULTS.get(key, ...) != value})
        return places[source["name"]]

    for axis in data["axes"]:
        axis["effects"] = [[at(source), effect] for source, effect in axis["effects"]]
    for feature in data["features"]:
        feature["effects"] = [[at(source), effects] for source, effects in feature["effects"]]
        for touch in feature["touches"]:
            if touch["stylus"] not in tools:
                tools.append(touch["stylus"])
            touch["stylus"] = tools.index(touch["stylus"])
    return json.dumps({"form": FORM, "sources": sources, "tools": tools, **data}, separators=(",", ":"))


def _few(chain: Chain) -> Chain:
    """The chain with no more touches than are kept, evenly picked."""
    features = []
    for feature in chain.features:
        count = len(feature.touches)
        if count > MOST_TOUCHES and len(feature.residuals) == count:
            kept = [n * count // MOST_TOUCHES for n in range(MOST_TOUCHES)]
            touches = tuple(feature.touches[n] for n in kept)
            feature = replace(feature, touches=touches, residuals=tuple(feature.residuals[n] for n in kept))
        features.append(feature)
    return replace(chain, features=tuple(features))


def loaded(text: str) -> Chain:
    """A chain from the text of an entry, of this form or the one before.

    Raises:
        ValueError: it is no chain; a ValidationError of Pydantic is one too.
    """
    try:
        return _adapter().validate_python(_plain(json.loads(text)))
    except (KeyError, IndexError, TypeError, AttributeError, RecursionError) as error:
        raise ValueError(f"the chain of an entry cannot be read: {type(error).__name__}") from error


def _plain(data: dict[str, Any]) -> dict[str, Any]:
    """The fields of a chain, with its sources and tools where they are used."""
    if data.pop("form", 1) < FORM:
        return _of_the_first_form(data)
    sources, tools = data.pop("sources"), data.pop("tools")
    for axis in data["axes"]:
        axis["effects"] = [[sources[n], effect] for n, effect in axis["effects"]]
    for feature in data["features"]:
        feature["effects"] = [[sources[n], effects] for n, effects in feature["effects"]]
        for touch in feature["touches"]:
            touch["stylus"] = tools[touch["stylus"]]
    return data


# -- the form before: names without what they are, and a feature's own part as a covariance --------------------------


def _source(name: str) -> dict[str, Any]:
    """A source by the name it had: what all touches of a tool share began with a word for that."""
    if not name.startswith(_SHARED):
        return {"name": name, "own": True}
    words = name.removeprefix(_SHARED)
    if known := re.fullmatch(r"(T[0-9]+) (radius|length)", words):
        words = f"{known[2]} of {known[1]}"
    elif known := re.fullmatch(r"(T[0-9]+) ([xy]) of the ball", words):
        words = f"{known[2].upper()} of the ball of {known[1]}"
    elif words.endswith(" height"):
        words = f"height of {words.removesuffix(' height')}"
    return {"name": words}


def _of_the_first_form(data: dict[str, Any]) -> dict[str, Any]:
    for axis in data["axes"]:
        axis["effects"] = [[_source(name), effect] for name, effect in axis.get("effects", ())]
    for feature in data["features"]:
        _feature_of_the_first_form(feature)
    return data


def _feature_of_the_first_form(feature: dict[str, Any]) -> None:
    count = len(feature["axes"])
    sizes = [u for size, u in (("size", "u_size"), ("size_y", "u_size_y")) if feature.get(size) is not None]
    rows: list[list[Any]] = []
    own = feature.pop("own", None) or _roots(feature["name"], feature.get("covariance") or [])
    for item in own:
        rows.append([{"name": item["source"], "own": True}, [*item["effect"], *(0.0 for _ in sizes)]])
    for item in feature.pop("shared", ()):
        rows.append([_source(f"{_SHARED}{item['source']}"), [*item["effect"], *(0.0 for _ in sizes)]])
    for number, key in enumerate(sizes):
        effects = [0.0] * (count + len(sizes))
        effects[count + number] = feature.get(key) or 0.0
        rows.append([{"name": f"size {number + 1} of {feature['name']}"}, effects])
    for key in ("covariance", "u_size", "u_size_y"):
        feature.pop(key, None)
    feature["effects"] = rows


def _roots(name: str, covariance: list[list[float]]) -> list[dict[str, Any]]:
    """Independent errors that have a covariance, one for each coordinate (Cholesky, row by row)."""
    n = len(covariance)
    low = [[0.0] * n for _ in range(n)]
    for i in range(n):
        for j in range(i + 1):
            left = covariance[i][j] - sum(low[i][k] * low[j][k] for k in range(j))
            low[i][j] = max(0.0, left) ** 0.5 if i == j else (left / low[j][j] if low[j][j] else 0.0)
    return [{"source": f"{name} {k}", "effect": [low[i][k] for i in range(n)]} for k in range(n)]
