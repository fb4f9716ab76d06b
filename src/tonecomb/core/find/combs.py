"""Families of tones: harmonics of one fundamental, and sidebands about a carrier.

A candidate for the fundamental is a tone divided by a small number, or the difference of two.
Each tooth n that it predicts is held against the nearest tone: log-likelihood ratio of a tooth
being there (with probability p, where its standard deviation says) to a stranger being there by
chance (the density of tones about that frequency). A tooth that is not there costs log(1 − p).
The best run of teeth is kept, its fundamental is fitted to all of them by weighted least squares,
its tones are taken out, and the search goes on until what is left could be chance.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.find.comb import REACH, WANDER, Comb, Line, Tooth
from tonecomb.core.record.recording import Array

DIVISORS = 15  # a tone may be any tooth up to this one
PARTS = 3  # and a difference of two tones so many times the fundamental
MOST_TEETH = 64  # that are looked at of a family
_PRESENT = 0.65  # of a family's teeth are there, as a rule (benchmark families)
_GAP = 5  # teeth in a row that may be lacking within a family
_LOW = _GAP + 1  # the first tooth of a family of harmonics is not above this
_BEGINS = 4  # times its number of teeth, above which the first tooth of a family is not
_OF_LOW = 4  # of the first so many, that show that a fundamental is one
_LEAST_TEETH = 3  # of a family
_LEAST_SIDES = 2  # one on each side
_CERTAIN = math.log(1000.0)  # odds against chance, over all candidates, that a family needs
_REFINED = 60  # candidates that are fitted
_MOST = 8  # families
_BETTER = 12.0  # by so much the misfit has to fall for a carrier that is free
_OTHERS, _ON_GRID = 3, 0.75  # tones beside a family, and their share, from which they have a grid
_FINEST = 100  # parts of a spacing that may be the grid
_BY_CHANCE = math.log(60.0)  # odds that a family on a grid needs
_PAIRED = 40  # strongest tones of which differences are tried
_CARRIERS = 12  # strongest tones that are tried as carriers
_SIDE = 8  # sidebands on each side


class _Lines:
    """The tones in the order of their frequency, and how dense they are."""

    def __init__(self, lines: Sequence[Line], high: float) -> None:
        self.order = np.argsort([line.frequency for line in lines], kind="stable")
        self.position = {int(line): i for i, line in enumerate(self.order)}
        ordered = [lines[i] for i in self.order]
        self.frequency = np.array([line.frequency for line in ordered])
        std = np.array([line.std for line in ordered])
        self.std = np.hypot(std, WANDER * self.frequency)
        self.amplitude = np.array([line.amplitude for line in ordered])
        self.high = high
        self.free = np.ones(len(ordered), dtype=bool)
        around = np.abs(self.frequency[:, None] - self.frequency[None, :]) < high / 20
        local = (around.sum(axis=1) - 1) / (high / 10)
        self.density = np.maximum(local, max(len(ordered), 1) / high)

    def matches(self, places: Array, std: Array) -> tuple[NDArray[np.int_], Array]:
        """For each place the nearest free tone and the gain of taking it for the tooth; −inf
        where none is near. ``std`` is that of the places."""
        free = np.flatnonzero(self.free)
        frequency = self.frequency[free]
        above = np.searchsorted(frequency, places).clip(0, len(free) - 1)
        below = (above - 1).clip(0)
        nearer = np.abs(frequency[below] - places) < np.abs(frequency[above] - places)
        index = free[np.where(nearer, below, above)]
        sigma = np.hypot(self.std[index], std)
        off = (self.frequency[index] - places) / sigma
        chance = self.density[index] * math.sqrt(2 * math.pi) * sigma
        gain = math.log(_PRESENT) - np.log(chance) - 0.5 * off**2
        near = (np.abs(off) < REACH) & (places < self.high)
        return index, np.where(near, gain, -np.inf)


def find_combs(lines: Sequence[Line], high: float) -> tuple[Comb, ...]:
    """Families among tones below ``high`` (Hz), the surest first, named A, B, C …; sidebands
    after harmonics, with the letters of their own."""
    known = _Lines(lines, high)
    combs: list[Comb] = []
    for _ in range(_MOST):
        best = _best_harmonics(known)
        if best is None:
            break
        combs.append(best)
        known.free[[known.position[line] for line in best.lines]] = False
    families = _split(combs, known)
    for family in _sidebands(known, families):
        families.append(family)
    families.sort(key=lambda comb: comb.carrier is not None)
    return tuple(
        replace(family, name=chr(ord("A") + i)) for i, family in enumerate(families[:_MOST])
    )


def _best_harmonics(known: _Lines) -> Comb | None:
    free = np.flatnonzero(known.free)
    if len(free) < _LEAST_TEETH:
        return None
    f, s = known.frequency[free], known.std[free]
    numbers = np.arange(1, DIVISORS + 1)
    tried = [(f[:, None] / numbers).ravel()]
    stds = [(s[:, None] / numbers).ravel()]
    # The strongest tell the spacing; among all there would be too many pairs.
    some = np.sort(np.argsort(-known.amplitude[free])[:_PAIRED])
    i, j = (some[index] for index in np.triu_indices(len(some), 1))
    for part in range(1, PARTS + 1):
        tried.append((f[j] - f[i]) / part)
        stds.append(np.hypot(s[i], s[j]) / part)
    candidates, std = np.concatenate(tried), np.concatenate(stds)
    # Teeth of a family closer than a few of their own standard deviations tell nothing.
    usable = (candidates > 20 * std) & (candidates > known.high / 2000)
    candidates, std = candidates[usable], std[usable]
    if not len(candidates):
        return None
    teeth = np.arange(1, MOST_TEETH + 1)
    _, gain = known.matches(candidates[:, None] * teeth, std[:, None] * teeth)
    rough = np.where(np.isfinite(gain), gain, math.log(1 - _PRESENT))
    # A run begins anywhere and ends anywhere: its best sum, all candidates at once.
    running = top = np.zeros(len(candidates))
    for column in rough.T:
        running = np.maximum(running + column, 0.0)
        top = np.maximum(top, running)
    limit = _CERTAIN + math.log(len(candidates))
    best: tuple[float, Comb] | None = None
    seen: list[float] = []
    for k in np.argsort(-top)[:_REFINED]:
        fundamental = float(candidates[k])
        if any(abs(fundamental - other) < 1e-6 * other for other in seen):
            continue
        seen.append(fundamental)
        fitted = _fit(known, fundamental, float(std[k]))
        if fitted is not None and (best is None or fitted[0] > best[0]):
            best = fitted
    if best is None or best[0] < limit or _of_a_grid(best[1], known):
        return None
    return best[1]


def _of_a_grid(comb: Comb, known: _Lines) -> bool:
    """Whether the free tones share a finer spacing of which this family could be any multiple:
    tones at round numbers make some such family by chance."""
    mine = {known.position[line] for line in comb.lines}
    others = np.array([i for i in np.flatnonzero(known.free) if i not in mine], dtype=int)
    if len(others) < _OTHERS:
        return False
    f, std = known.frequency[others] - (comb.carrier or 0.0), known.std[others]
    width = np.hypot(std, comb.spacing_std / comb.spacing * np.abs(f))
    for part in range(1, _FINEST + 1):
        grid = comb.spacing / part
        near = np.abs(f - grid * np.round(f / grid)) < REACH * width
        if near.mean() < _ON_GRID or np.sum(2 * REACH * width / grid) > 0.1 * len(others):
            continue
        if part == 1 and comb.carrier is None and _begins_low(comb, known):
            return False
        places = max((float(known.frequency.max()) - float(known.frequency.min())) / grid, 2.0)
        chance = min(len(known.frequency) / places, 0.9)
        number = len(mine) - (comb.carrier is not None)
        lacking = sum(not tooth.found for tooth in comb.teeth)
        score = number * math.log(_PRESENT / chance) + lacking * math.log(1 - _PRESENT)
        tried = places * (DIVISORS / _LEAST_TEETH if comb.carrier is None else _CARRIERS)
        return score < math.log(tried) + _BY_CHANCE
    return False


def _begins_low(comb: Comb, known: _Lines) -> bool:
    """Whether the fundamental itself and others of the lowest multiples are there, in the family or
    beside it: one shaft may well make every tone there is."""
    if comb.teeth[0].number <= _LOW:
        return True
    numbers: Array = np.arange(1, _LOW + 1, dtype=np.float64)
    places: Array = comb.spacing * numbers
    std: Array = comb.spacing_std * numbers
    _, gain = known.matches(places, std)
    there = np.isfinite(gain)
    return bool(there[0] and there.sum() >= _OF_LOW)


def _fit(known: _Lines, fundamental: float, std: float) -> tuple[float, Comb] | None:
    """Score and family of a candidate, its fundamental fitted to the teeth it has."""
    teeth = np.arange(1, MOST_TEETH + 1)
    index = np.zeros(0, dtype=int)
    run: list[int] = []
    score = 0.0
    for _ in range(4):
        places: Array = fundamental * teeth.astype(np.float64)
        index, gain = known.matches(places, std * places / fundamental)
        score, run = _best_run(gain)
        if len(run) < _LEAST_TEETH:
            return None
        n, at = teeth[run], index[run]
        weights = 1 / known.std[at] ** 2
        total = float(weights @ n**2)
        fundamental = float(weights * n @ known.frequency[at]) / total
        std = 1 / math.sqrt(total)
    if len({int(index[k]) for k in run}) < len(run):
        return None  # two teeth on one tone: too close together to be told apart
    if int(teeth[run[0]]) > _BEGINS * len(run):
        return None  # a few tones evenly apart, far up: by chance at multiples of something
    return score, _family(known, fundamental, std, {int(teeth[k]): int(index[k]) for k in run})


def _best_run(gain: Array) -> tuple[float, list[int]]:
    """The run of teeth with the best sum, without more than a few lacking in a row. Those that
    lack below its first tooth count against it as well, a few of them."""
    present = np.flatnonzero(np.isfinite(gain) & (gain > math.log(1 - _PRESENT)))
    absent = math.log(1 - _PRESENT)
    best, best_run = -math.inf, []
    sums: list[tuple[float, list[int]]] = []
    for k in present:
        before = min(int(k), _GAP) * absent
        start = float(gain[k]) + before
        value, run = start, [int(k)]
        if sums:
            last, members = sums[-1]
            lacking = int(k) - members[-1] - 1
            if lacking <= _GAP and last + lacking * absent + float(gain[k]) > value:
                value, run = last + lacking * absent + float(gain[k]), [*members, int(k)]
        sums.append((value, run))
        if value > best:
            best, best_run = value, run
    return best, best_run


def _family(
    known: _Lines,
    spacing: float,
    std: float,
    at: dict[int, int],
    carrier: float | None = None,
    carrier_std: float = 0.0,
) -> Comb:
    """A family with a tooth for each number between its first and last."""
    first, last = min(at), max(at)
    if carrier is None and first <= _LOW:
        first = 1
    teeth = []
    for number in range(first, last + 1):
        expected = (carrier or 0.0) + number * spacing
        line = at.get(number)
        if line is None:
            teeth.append(Tooth(number, expected, None, math.nan, math.nan))
        else:
            teeth.append(
                Tooth(
                    number,
                    expected,
                    int(known.order[line]),
                    float(known.frequency[line]),
                    float(known.amplitude[line]),
                )
            )
    return Comb(spacing, std, tuple(teeth), carrier, carrier_std)


def _split(found: list[Comb], known: _Lines) -> list[Comb]:
    """Families far up are sidebands of their strongest tooth where their spacing is the
    fundamental of another, or where a carrier that is no multiple fits better."""
    low = [comb for comb in found if comb.teeth[0].number == 1]
    families = list(low)
    for comb in found:
        if comb in low:
            continue
        spread = [abs(comb.spacing - a.spacing) for a in low]
        tied = any(
            gap < REACH * math.hypot(comb.spacing_std, a.spacing_std)
            for gap, a in zip(spread, low, strict=True)
        )
        if tied:
            families.append(_about_strongest(comb, known))
            continue
        others = {line for one in (*families, *found) if one is not comb for line in one.lines}
        known.free = np.array([int(line) not in others for line in known.order])
        families.append(_rather_sidebands(comb, known) or comb)
    return families


def _rather_sidebands(comb: Comb, known: _Lines) -> Comb | None:
    """Sidebands about the strongest tone there, where they explain more tones or fit better."""
    about = _about_strongest(comb, known)
    low, high = comb.place(comb.teeth[0].number - 1), comb.place(comb.teeth[-1].number + 1)
    inside = known.free & (known.frequency > low) & (known.frequency < high)
    place = int(np.argmax(np.where(inside, known.amplitude, -1.0)))
    known.free[place] = False
    more = _best_sidebands(known, place)
    if more is not None and len(more.lines) > len(comb.lines):
        return more
    return about if _misfit(comb, known) - _misfit(about, known) > _BETTER else None


def _misfit(comb: Comb, known: _Lines) -> float:
    """Sum of the squared deviations of the teeth, in standard deviations."""
    found = [(t.deviation, known.position[t.line]) for t in comb.teeth if t.line is not None]
    return float(sum((off / known.std[at]) ** 2 for off, at in found))


def _about_strongest(comb: Comb, known: _Lines) -> Comb:
    carrier = max((t for t in comb.teeth if t.found), key=lambda tooth: tooth.amplitude)
    at = {
        t.number - carrier.number: known.position[t.line] for t in comb.teeth if t.line is not None
    }
    return _fit_sidebands(known, at[0], at)


def _fit_sidebands(known: _Lines, carrier: int, at: dict[int, int]) -> Comb:
    """Carrier and spacing by weighted least squares over all teeth."""
    numbers = np.array(sorted(at))
    index = np.array([at[int(n)] for n in numbers])
    weights = 1 / known.std[index] ** 2
    design = np.stack([np.ones(len(numbers)), numbers], axis=1)
    normal = design.T @ (weights[:, None] * design)
    inverse = np.linalg.inv(normal)
    centre, spacing = inverse @ design.T @ (weights * known.frequency[index])
    std = np.sqrt(np.diag(inverse))
    return _family(known, float(spacing), float(std[1]), at, float(centre), float(std[0]))


def _sidebands(known: _Lines, families: list[Comb]) -> list[Comb]:
    """Families of sidebands about the strongest tones, of tones that are in no family yet (the
    carrier may be in one)."""
    taken = {line for comb in families for line in comb.lines}
    carriers = np.argsort(-known.amplitude)[:_CARRIERS]
    centres = {t.line for c in families if c.carrier is not None for t in c.teeth if t.number == 0}
    result: list[Comb] = []
    for carrier in carriers:
        if int(known.order[carrier]) in centres:
            continue
        known.free = np.array([int(line) not in taken for line in known.order])
        known.free[carrier] = False
        best = _best_sidebands(known, int(carrier))
        if best is not None and not _of_a_grid(best, known):
            result.append(best)
            taken |= set(best.lines)
    return result


def _best_sidebands(known: _Lines, carrier: int) -> Comb | None:
    free = np.flatnonzero(known.free)
    if len(free) < 2:
        return None
    centre, centre_std = known.frequency[carrier], known.std[carrier]
    some = free[np.argsort(-known.amplitude[free])[:_PAIRED]]
    gaps, gap_std = np.abs(known.frequency[some] - centre), np.hypot(known.std[some], centre_std)
    candidates = np.concatenate([gaps / part for part in range(1, PARTS + 1)])
    stds = np.concatenate([gap_std / part for part in range(1, PARTS + 1)])
    numbers = np.concatenate([np.arange(-_SIDE, 0), np.arange(1, _SIDE + 1)])
    limit = _CERTAIN + math.log(len(candidates) * _CARRIERS)
    best: tuple[float, Comb] | None = None
    for spacing, std in zip(candidates, stds, strict=True):
        if spacing < 20 * std or spacing * 2 > centre:
            continue
        at: dict[int, int] = {}
        score = 0.0
        for _ in range(2):
            places = centre + numbers * spacing
            index, gain = known.matches(places, np.abs(numbers) * std + centre_std)
            gain = np.where(known.amplitude[index] < known.amplitude[carrier], gain, -np.inf)
            score, at = _both_sides(gain, index)
            if len(at) < _LEAST_SIDES or not (min(at) < 0 < max(at)):
                break
            n = np.array(sorted(at))
            where = np.array([at[int(k)] for k in n])
            weights = 1 / (known.std[where] ** 2 + centre_std**2)
            total = float(weights @ n**2)
            spacing = float(weights * n @ (known.frequency[where] - centre)) / total
            std = 1 / math.sqrt(total)
        if len(at) < _LEAST_SIDES or not (min(at) < 0 < max(at)):
            continue
        if best is None or score > best[0]:
            best = (score, _fit_sidebands(known, carrier, {0: carrier, **at}))
    return None if best is None or best[0] < limit else best[1]


def _both_sides(gain: Array, index: NDArray[np.int_]) -> tuple[float, dict[int, int]]:
    """Score and teeth of the best runs outward from the carrier on either side."""
    total, at = 0.0, {}
    for side, part in ((-1, gain[:_SIDE][::-1]), (1, gain[_SIDE:])):
        numbers = index[:_SIDE][::-1] if side < 0 else index[_SIDE:]
        score, best, length = 0.0, 0.0, 0
        for k, one in enumerate(part):
            score += float(one) if np.isfinite(one) else math.log(1 - _PRESENT)
            if score > best:
                best, length = score, k + 1
        total += best
        for k in range(length):
            if np.isfinite(part[k]):
                at[side * (k + 1)] = int(numbers[k])
    return total, at
