"""What older files held, as the next version holds it: dictionaries in, dictionaries out.

Nothing here knows a class of the program, so that what a version meant stays as it was.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Body = dict[str, Any]
_FRAMES = ("detrend", "window", "frame", "overlap", "pad")
_DERIVED = {
    "vector sum": "vector-sum",
    "scaled": "scale",
    "double integral": "double-integral",
}


def document_2(document: Body) -> Body:
    """Version 1 knew of a given rate and unit only."""
    for ref in document["recordings"]:
        ref["given"] = {"rate": ref.pop("given_rate", None), "unit": ref.pop("given_unit", None)}
    return document


def same(document: Body) -> Body:
    """Versions that only know more."""
    return document


def document_6(document: Body) -> Body:
    """Version 6 has methods in parts, and chains of steps where recordings were conditioned."""
    steps: dict[str, list[Body]] = {}
    for ref in document["recordings"]:
        steps[ref["id"]] = _steps(ref.pop("conditioning", None) or {})
        ref["method"] = method_6(ref["method"], steps[ref["id"]])
    for trace in document.get("held", []):
        trace["method"] = method_6(trace["method"], steps.get(trace["recording"], []))
    return document


def method_6(old: Body, steps: list[Body] | None = None) -> Body:
    """A method of before version 6."""
    old = dict(old)
    taken = {name: old.pop(name) for name in _FRAMES if name in old}
    source = {name: old.pop(name) for name in ("channel", "stretch") if name in old}
    shown = {name: old.pop(name) for name in ("scaling", "level", "display") if name in old}
    average = {"kind": old.pop("average", "mean")}
    at, sync = old.pop("at", None), old.pop("sync", None)
    if average["kind"] == "single":
        average["at"] = at
    if average["kind"] == "synchronous" and sync is not None:
        average["sync"] = sync
    averaging = {name: old.pop(name) for name in ("struck", "leave_clipped") if name in old}
    search = {"peaks": old.pop("search", {}), "fits": old.pop("fits", [])}
    follow = {name: old.pop(name) for name in ("tracks", "bands") if name in old}
    # What is left is not known, and is told as such when it is read.
    return {
        "source": {**source, "steps": steps or []},
        "frames": taken,
        "averaging": {"average": average, **averaging},
        "shown": shown,
        "search": search,
        "follow": follow,
        **old,
    }


def _steps(how: Body) -> list[Body]:
    """The order was fixed: keep, remove, derive, decimate."""
    steps: list[Body] = []
    if (keep := how.get("keep")) is not None:
        steps.append({"step": "keep", **keep})
    removed = how.get("removed", "nothing")
    if removed == "drift":
        steps.append({"step": "remove-drift", "below": how.get("drift_cut", 0.5)})
    elif removed != "nothing":
        steps.append({"step": f"remove-{removed}"})
    for one in how.get("derived", []):
        kind = one["kind"]
        step = {"step": _DERIVED.get(kind, kind), "channels": one["channels"]}
        if kind == "scaled":
            step["factor"] = one.get("factor", 1.0)
        elif kind in ("integral", "double integral", "derivative"):
            step["channels"] = one["channels"][:1]
            step["low-cut"] = one.get("low_cut", 1.0)
        steps.append({**step, "name": one.get("name", "")})
    if how.get("decimate", 1) > 1:
        steps.append({"step": "decimate", "factor": how["decimate"]})
    return steps


def presets_3(presets: list[Body]) -> list[Body]:
    """Version 3 has methods in parts."""
    return [{**one, "method": method_6(one["method"])} for one in presets]


def document_9(document: Body) -> Body:
    """Version 9 has levels that stay in a unit of their own, whatever is shown."""
    for one in (*document["recordings"], *document.get("held", [])):
        _levels_9(one["method"])
    return document


def _levels_9(method: Body) -> None:
    shown = method.get("shown", {}).get("display", {}).get("quantity", "")
    symbol = {"Acceleration": "m/s²", "Velocity": "mm/s", "Displacement": "µm"}.get(shown, "")
    for band in method.get("follow", {}).get("bands", []):
        band["unit"] = symbol


def presets_4(presets: list[Body]) -> list[Body]:
    """Version 4 has levels that stay in a unit of their own."""
    for one in presets:
        _levels_9(one["method"])
    return presets


SESSIONS: dict[int, Callable[[Body], Body]] = {
    1: document_2,
    2: same,
    3: same,
    4: same,
    5: document_6,
    6: same,
    7: same,
    8: document_9,
}
"""By the version that they start from."""


def migrated(document: Any, version: int) -> Any:
    """A session's document of an older version as the newest has it. What is no document at all
    is left as it is: what is wrong with it is said when it is read."""
    try:
        for number in range(version, max(SESSIONS) + 1):
            document = SESSIONS[number](document)
    except (KeyError, TypeError, AttributeError, ValueError):
        return document
    return document
