"""How a tone's behaviour is put into words."""

from __future__ import annotations

from tonecomb.core.find.behaviour import Behaviour
from tonecomb.core.say.numbers import span

_MOVED = 5e-4  # of its frequency, below which what is there in a part moves no further than noise
_SWINGS = 0.5  # dB, from which a swing is given in figures


def brief(doing: Behaviour | None) -> str:
    """For a narrow cell: nothing for a tone that is steady, as most are."""
    if doing is None or doing.kind == "steady":
        return ""
    if doing.kind == "moves":
        return f"± {_places(doing.moved / 2)} Hz"
    if doing.kind == "comes and goes":
        return f"in {100 * doing.share:.0f} %"
    if doing.kind == "modulated":
        return f"~ {doing.swing_db:.0f} dB" if doing.swing_db >= _SWINGS else "varies"
    if doing.kind == "wanders":
        return "wanders"
    return "broad"


def words(doing: Behaviour | None) -> str:
    """For a line of its own."""
    if doing is None:
        return "too few frames to tell whether it is steady"
    passes = doing.kind == "moves" and doing.share < 1 and doing.moved < _MOVED * doing.high
    if doing.kind == "moves" and not passes:
        text = f"moves from {span(doing.low, doing.high)} Hz"
        return text + (f", in {100 * doing.share:.0f} % of the frames" if doing.share < 1 else "")
    if passes or doing.kind == "comes and goes":
        return f"stands in {100 * doing.share:.0f} % of the frames"
    if doing.kind == "modulated":
        swings = doing.swing_db >= _SWINGS
        return f"swells and fades by {doing.swing_db:.1f} dB" if swings else "not steady in level"
    if doing.kind == "wanders":
        return f"its phase wanders: {_places(doing.moved)} Hz wide"
    return "a broad peak, no single tone" if doing.kind == "hump" else "steady"


def _places(hz: float) -> str:
    return f"{hz:.0f}" if hz >= 9.95 else f"{hz:.1f}" if hz >= 0.95 else f"{hz:.1g}"
