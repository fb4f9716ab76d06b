"""What changed between two analyses, in words."""

from __future__ import annotations

import math

from tonecomb.core.results.differences import Differences, SpectrumDifference
from tonecomb.core.say.numbers import signed, significant, with_std


def subject(one: SpectrumDifference) -> str:
    """What a difference is about: a tone by its name and frequency, a band by its limits."""
    if one.kind == "level":
        return "overall level"
    if one.kind in ("noise", "band"):
        return f"{one.kind} {one.name}"
    if one.kind == "family":
        return one.name
    there = one.before if math.isnan(one.now.frequency) else one.now
    frequency = f"{with_std(there.frequency, there.frequency_std)} Hz"
    return f"{one.name}, {frequency}" if one.name else frequency


def words(one: SpectrumDifference, unit: str) -> str:
    """A difference in a line; ``unit`` is that of its levels."""
    lines = []
    for verdict in one.verdicts:
        if verdict == "came":
            lines.append(f"came, {significant(one.now.level)} {unit}")
        elif verdict == "went":
            lines.append(f"went, it was {significant(one.before.level)} {unit}")
        elif verdict == "moved":
            off = one.now.frequency - one.before.frequency
            std = math.hypot(*(_known(r.frequency_std) for r in (one.before, one.now)))
            lines.append(f"moved by {_by(off, std)} Hz from {one.before.frequency:.7g} Hz")
        else:
            by = with_std(abs(one.change_db), one.change_db_std)
            levels = f"{significant(one.before.level)} → {significant(one.now.level)} {unit}"
            lines.append(f"{verdict} by {by} dB, {levels}")
    return f"{subject(one)}: {'; '.join(lines)}"


def summary(found: Differences) -> str:
    """How many changed, and of how many."""
    if not found.told:
        text = "Nothing changed beyond what both leave open"
    else:
        counts = [
            f"{count} {verdict}"
            for verdict in ("came", "went", "moved", "grew", "fell")
            if (count := sum(verdict in one.verdicts for one in found.told))
        ]
        text = f"Changed: {', '.join(counts)}"
    tones = "tone was" if found.compared == 1 else "tones were"
    small = f"; {found.smaller} changed by less than is listed" if found.smaller else ""
    return f"{text}; {found.compared} {tones} there both times{small}."


def _by(value: float, std: float) -> str:
    return signed(f"{'+' if value > 0 else ''}{with_std(value, std)}")


def _known(std: float) -> float:
    return 0.0 if math.isnan(std) else std
