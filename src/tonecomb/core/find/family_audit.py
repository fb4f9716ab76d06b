"""Whether the teeth of a family bear it out: they are lines, they sound together, and enough of
them are there.

Frequencies alone make families of tones at round numbers, of tones one after the other, and one of
two whose fundamentals are as 3 to 4. What is asked here was set by sets of tones of each of these
kinds, and of real families with up to three teeth in ten lost (benchmark statements).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.find.comb import WANDER, Comb, Line, Tooth

_LEAST = 3  # teeth of a family
_LONG, _HALF = 10, 0.5  # teeth, and the share of their places, that need none of the first
_FEW, _FEW_FILLED, _FILLED = 6, 0.5, 0.3  # teeth; shares of their places that are filled at least
_FIRST = 3  # teeth of which two are there where the first is not
_TOGETHER = 0.5  # of how far two teeth sound in common frames, beyond chance
_ALWAYS = 0.85  # of the frames, from which in common says nothing beyond chance
_PRESENT, _USUAL = 0.35, 0.9  # of the level that a tone has in so many of the frames: it sounds
_SKIRT = 8.0  # times what shows as one, within which a line that comes and goes has sides

Sounds = NDArray[np.bool_]


def sounding(powers: NDArray[np.floating]) -> Sounds:
    """In which frames tones sound, by their power in each, both of shape (tones, frames)."""
    usual = np.quantile(powers, _USUAL, axis=1, keepdims=True)
    return np.asarray(powers > _PRESENT * usual)


def audited(
    combs: Sequence[Comb], lines: Sequence[Line], sounds: Sounds | None, separable: float
) -> tuple[Comb, ...]:
    """The families that their teeth bear out, with those that do; named A, B, C …. ``sounds`` says
    in which frames each of the lines does, shape (lines, frames), None where that is not known.
    Tones nearer than ``separable`` (Hz) show as one."""
    kept: list[Comb] = []
    for comb in combs:
        if comb.low is not None:
            kept.append(comb)  # one that moves was followed from frame to frame
        elif comb.carrier is not None:
            if comb.spacing > _SKIRT * separable or not _goes(comb, lines):
                kept.append(comb)
        else:
            kept += [one for one in _harmonics(comb, lines, sounds) if _filled(one)]
    kept.sort(key=lambda comb: comb.carrier is not None)
    return tuple(replace(one, name=chr(ord("A") + i)) for i, one in enumerate(kept))


def _goes(comb: Comb, lines: Sequence[Line]) -> bool:
    """Whether the carrier comes and goes, which gives it sides."""
    carrier = next((t for t in comb.teeth if t.number == 0 and t.line is not None), None)
    return carrier is not None and carrier.line is not None and not lines[carrier.line].still


def _harmonics(comb: Comb, lines: Sequence[Line], sounds: Sounds | None) -> list[Comb]:
    """The family of the teeth that sound together, by its own fundamental, or the two that it is
    made of."""
    found = {t.number: t.line for t in comb.teeth if t.line is not None}
    if 2 * sum(lines[line].broad for line in found.values()) < len(found):
        found = {number: line for number, line in found.items() if not lines[line].broad}
    if sounds is not None:
        found = _together(found, sounds)
    if len(found) < _LEAST:
        return []
    common = math.gcd(*found)
    found = {number // common: line for number, line in found.items()}
    parts = _two(sorted(found))
    if parts is None:
        same = common == 1 and len(found) == len(comb.lines)
        return [comb if same else _family(found, comb.spacing * common, lines)]
    return [
        _family({n // first: found[n] for n in numbers}, comb.spacing * common * first, lines)
        for first, numbers in parts
        if len(numbers) >= _LEAST
    ]


def _together(found: dict[int, int], sounds: Sounds) -> dict[int, int]:
    """The teeth, by number, without those that sound at other times than the rest."""
    left = dict(found)
    while len(left) >= _LEAST:
        numbers = list(left)
        alike = np.array(
            [[_pair(sounds[left[a]], sounds[left[b]]) for b in numbers if b != a] for a in numbers]
        ).mean(axis=1)
        worst = int(np.argmin(alike))
        if alike[worst] >= _TOGETHER:
            break
        del left[numbers[worst]]
    return left


def _pair(one: Sounds, other: Sounds) -> float:
    """How far two tones sound in common frames: 1 for always, 0 for no more than by chance."""
    less, more = sorted((float(one.mean()), float(other.mean())))
    pair = float((one & other).mean()) / max(less, 1e-9)
    return pair if more >= _ALWAYS else (pair - more) / (1 - more)


def _two(numbers: list[int]) -> list[tuple[int, list[int]]] | None:
    """The two fundamentals, as teeth, whose multiples all teeth are, and which those are, where
    fewer lack than in the one family; None where there are none."""
    if numbers[0] == 1:
        return None
    lack = numbers[-1] - len(numbers)
    best = None
    for a, b in combinations(numbers, 2):
        if not (2 * a in numbers or 2 * b in numbers):
            continue
        of = {one: [n for n in numbers if n % one == 0] for one in (a, b)}
        if set(of[a]) | set(of[b]) != set(numbers) or max(map(len, of.values())) < _LEAST:
            continue
        both = set(of[a]) & set(of[b])  # a shared tooth is the lower one's of its numbers
        of[a] = [n for n in of[a] if n not in both]
        missing = sum(teeth[-1] // one - len(teeth) for one, teeth in of.items() if teeth)
        if missing < lack and of[a]:
            best, lack = list(of.items()), missing
    return best


def _filled(comb: Comb) -> bool:
    """Whether enough of the places are filled, of the first ones too."""
    numbers = [tooth.number for tooth in comb.teeth if tooth.found]
    if all(number % 2 for number in numbers):
        numbers = [(number + 1) // 2 for number in numbers]  # odd ones only
    count = len(numbers)
    if count == _LEAST:
        return numbers == [1, 2, 3]
    first, last = numbers[0], numbers[-1]
    if count >= _LONG and count >= _HALF * (last - first + 1):
        return True
    low = first == 1 or sum(number <= _FIRST for number in numbers) > 1
    return low and count >= (_FEW_FILLED if count < _FEW else _FILLED) * last


def _family(found: dict[int, int], spacing: float, lines: Sequence[Line]) -> Comb:
    """The family of these teeth, its fundamental by weighted least squares."""
    n = np.array(sorted(found), dtype=np.float64)
    f = np.array([lines[found[int(k)]].frequency for k in n])
    std = np.hypot([lines[found[int(k)]].std for k in n], WANDER * f)
    weights = 1 / std**2
    total = float(weights @ n**2)
    spacing = float(weights * n @ f) / total

    def tooth(number: int) -> Tooth:
        line = found.get(number)
        if line is None:
            return Tooth(number, number * spacing, None, math.nan, math.nan)
        one = lines[line]
        return Tooth(number, number * spacing, line, one.frequency, one.amplitude)

    teeth = tuple(tooth(number) for number in range(1, max(found) + 1))
    return Comb(spacing, 1 / math.sqrt(total), teeth)
