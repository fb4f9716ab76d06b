"""All families among the tones: those that stand still, and the one that moves."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from tonecomb.core.find.comb import Comb, Line, Tooth
from tonecomb.core.find.combs import MOST_TEETH, find_combs
from tonecomb.core.find.variable_speed import Moving

_STRONGEST = 150  # tones among which families are looked for
_LEAST = 3  # teeth that a family has
_STANDS = 0.02  # of what a tooth sweeps over, to which a tone is known that stands there
_LACKING = 3  # teeth in a row without a tone that end a family that moves


def families(
    lines: Sequence[Line], high: float, moving: Moving | None, separable: float
) -> tuple[Comb, ...]:
    """Families among tones below ``high`` (Hz), named A, B, C …. Tones under what ``moving``
    sweeps over are its teeth, at most one each, and no others; from a run no family is claimed.
    Tones nearer than ``separable`` (Hz) show as one."""
    order = sorted(range(len(lines)), key=lambda i: -lines[i].amplitude)[:_STRONGEST]
    combs = _found(lines, order, high)
    if moving is not None:
        comb, taken = _of(lines, moving, high, separable)
        if moving.runs or (len(comb.lines) >= _LEAST and not _better(combs, lines, moving, taken)):
            rest = [i for i in order if i not in taken]
            combs = [one for one in _found(lines, rest, high) if not _echoes(one, moving)]
            combs = combs if moving.runs else [comb, *combs]
    every = sorted(combs, key=lambda comb: comb.carrier is not None)
    return tuple(replace(comb, name=chr(ord("A") + i)) for i, comb in enumerate(every))


def _found(lines: Sequence[Line], among: list[int], high: float) -> list[Comb]:
    """Families among some of the tones."""
    return [
        replace(comb, teeth=tuple(_renumbered(tooth, among) for tooth in comb.teeth))
        for comb in find_combs([lines[i] for i in among], high)
    ]


def _better(found: list[Comb], lines: Sequence[Line], moving: Moving, taken: set[int]) -> bool:
    """Whether families that stand explain more of the tones that do not than the one that moves,
    and are not that one as it looks on average."""
    if any(moving.low <= one.spacing <= moving.high for one in found if one.carrier is None):
        return False
    theirs = {i for one in found for i in one.lines if not lines[i].still}
    return len(theirs) > len(taken)


def _renumbered(tooth: Tooth, rest: list[int]) -> Tooth:
    return tooth if tooth.line is None else replace(tooth, line=rest[tooth.line])


def _of(
    lines: Sequence[Line], moving: Moving, high: float, separable: float
) -> tuple[Comb, set[int]]:
    """The family that moves with the strongest tone under each tooth, and all tones there."""
    taken: set[int] = set()
    teeth: list[Tooth] = []
    lacking = 0
    for number in range(1, MOST_TEETH + 1):
        expected = number * moving.mean
        if expected >= high or lacking > _LACKING:
            break
        low, top = number * moving.low - separable / 2, number * moving.high + separable / 2
        wide = number * moving.moved > separable
        near = [
            i
            for i, line in enumerate(lines)
            if low <= line.frequency <= top
            and i not in taken
            and not (wide and line.still and line.std < _STANDS * number * moving.moved)
        ]
        if not near:
            teeth.append(Tooth(number, expected, None, math.nan, math.nan))
            lacking += number not in moving.teeth
            continue
        lacking = 0
        best = max(near, key=lambda i: lines[i].amplitude)
        one = lines[best]
        teeth.append(Tooth(number, expected, best, one.frequency, one.amplitude))
        taken.update(near)
    while len(teeth) > 1 and not teeth[-1].found and teeth[-1].number not in moving.teeth:
        teeth.pop()
    comb = Comb(moving.mean, moving.std, tuple(teeth), low=moving.low, high=moving.high)
    return comb, taken


def _echoes(comb: Comb, moving: Moving) -> bool:
    """Whether a family is made of what the one that moves has left over: its spacing is a
    multiple of that one's, or a simple part."""
    if comb.carrier is not None and not comb.spacing:
        return False
    ratios = (comb.spacing * part / number for part in (1, 2, 3) for number in (1, 2, 3))
    return any(0.98 * moving.low <= f <= 1.02 * moving.high for f in ratios) and not moving.runs
