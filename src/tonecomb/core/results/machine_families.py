"""Families and modes of a machine whose speed breathes: in its time lines are exact, and modes are
what is left between them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.find.comb import Comb, measured
from tonecomb.core.find.combs import MOST_TEETH
from tonecomb.core.find.damping import Data
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.modes_by_teeth import mode_by_teeth
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.resting_spectrum import FRAME_S, MovingLines, resting
from tonecomb.core.find.variable_speed import WIDEST, Moving
from tonecomb.core.method.method import FramePlan
from tonecomb.core.record.recording import Array
from tonecomb.core.results.machine_time import WHOLE_FAMILY, MachineTime, as_lines, most_turn

# Teeth of an exact family; of its spacing, within which a line may be one; of a spacing, within
# which two families are one.
_EXACT_TEETH, _CHANCE, _ALIKE = 3, 0.02, 1e-3
_SAME = 4.0  # standard deviations within which one spacing is a multiple of another
_FOLDS = 1.5  # of the rate, up to which teeth of hits are folded down
_NEAR = 2e-5  # of a frequency, that the structure's phase takes a line off its multiple
_DENSE = 1.6  # numbers a tooth, from which a family has gaps
# Of a fundamental whose first teeth lack: its multiples that may be the family, the share of the
# teeth that are theirs then, and how many first teeth are looked for.
_MULTIPLES, _MOST_ARE, _FIRST_FEW = (2, 3, 5), 0.6, 3
_TEETH = 5  # of a family, whose teeth may look like modes
_TOOTH, _NARROW = 0.08, 0.4  # of the spacing: how near to a tooth, and how narrow, one is no mode


def resting_data(
    peaks: Sequence[Peak],
    combs: Sequence[Comb],
    machine: MachineTime,
    p: FramePlan,
    floor: Array,
    enbw_hz: float,
) -> Data | None:
    """The spectrum between all lines, those that turn and those that do not. ``floor`` is the
    noise's mean square per bin of the spectrum that was searched, of so much noise bandwidth."""
    hz, hz_short = p.fs / 2 / (len(floor) - 1), 1 / FRAME_S
    turning = [one for one in peaks if one.turns == "turns"]
    still = [one for one in peaks if one.turns in ("stands still", "either")]
    f = [one.tone.frequency for one in turning]
    a = [one.tone.amplitude for one in turning]
    slope = [1.0] * len(f)
    for comb in combs:
        if comb.carrier is None and _whole(comb):
            weakest = min(peaks[i].tone.amplitude for i in comb.lines)
            every = np.arange(1, int(_FOLDS * p.fs / comb.spacing) + 1) * comb.spacing
            at = np.abs((every + p.fs / 2) % p.fs - p.fs / 2)
            f += at.tolist()
            a += [weakest] * len(every)
            slope += (every / np.maximum(at, 1e-9) * np.where(_falls(every, p.fs), -1, 1)).tolist()

    def density(frequency: Array) -> Array:
        at = np.clip(np.round(frequency / hz).astype(int), 0, len(floor) - 1)
        return np.asarray(floor[at] / enbw_hz)

    astray = [one.behaviour for one in peaks if one.turns == "wanders" and one.behaviour]
    wide = [np.arange(one.low, one.high + hz_short, hz_short) for one in astray]
    lines: list[MovingLines] = [
        MovingLines(np.array(f), np.array(a), machine.warp.swing, np.array(slope)),
        MovingLines(
            np.array([one.tone.frequency for one in still]),
            np.array([one.tone.amplitude for one in still]),
            lambda time: 0 * time,
        ),
        MovingLines(
            np.concatenate([np.zeros(0), *wide]),
            np.zeros(sum(map(len, wide))),
            lambda time: 0 * time,
        ),
    ]
    lines = [one for one in lines if len(one.frequency)]
    return resting(p.read, p.framing.length, p.fs, lines, density)


def modes_in_machine_time(
    between: Sequence[Resonance], combs: Sequence[Comb], peaks: Sequence[Peak]
) -> list[Resonance]:
    """The modes ``between`` the lines but for teeth of hits that slip, and those that families of
    many teeth show by their heights, where nothing else shows them."""
    every = [one for one in between if not any(_tooth(one, comb) for comb in combs)]
    for comb in combs:
        teeth = [peaks[i] for i in comb.lines if peaks[i].turns == "turns"]
        if comb.carrier is not None:
            continue
        seen = mode_by_teeth(
            np.array([one.tone.frequency for one in teeth]),
            np.array([one.tone.amplitude for one in teeth]),
        )
        if seen is None:
            continue
        apart = 2 * seen.damping * seen.frequency
        if all(abs(one.frequency - seen.frequency) > apart for one in every):
            every.append(seen)
    return every


def _tooth(one: Resonance, comb: Comb) -> bool:
    """Whether what looks like a mode is a tooth of a family, as wide as slipping makes it."""
    if comb.carrier is not None or len(comb.lines) < _TEETH:
        return False
    off = abs(one.frequency / comb.spacing - round(one.frequency / comb.spacing))
    return off < _TOOTH and one.bandwidth < _NARROW * comb.spacing


def _whole(comb: Comb) -> bool:
    """Whether so many teeth are there that all are taken to be: a few orders of a shaft are not."""
    numbers = [tooth.number for tooth in comb.teeth if tooth.found]
    return len(numbers) >= WHOLE_FAMILY and max(numbers) - min(numbers) < _DENSE * len(numbers)


def _falls(frequency: NDArray[np.floating[Any]], fs: float) -> NDArray[np.bool_]:
    """Whether sampling folds a frequency (Hz) so that it falls where it rises."""
    return np.asarray(frequency % fs > fs / 2)


def moving_with(
    machine: MachineTime, combs: Sequence[Comb], peaks: Sequence[Peak]
) -> Moving | None:
    """The lowest family that turns, as one that moves; None where there is none."""
    turning = (one for one in combs if one.carrier is None and most_turn(one, peaks))
    comb = min(turning, key=lambda one: one.spacing, default=None)
    if comb is None:
        return None
    low, high = machine.covers(comb.spacing)
    std = math.hypot(comb.spacing_std, machine.mean_std * comb.spacing)
    teeth = tuple(tooth.number for tooth in comb.teeth if tooth.found)
    time, speed = machine.speed(comb.spacing)
    track = tuple(zip(time.tolist(), speed.tolist(), strict=True))
    runs = high > WIDEST * low
    return Moving(comb.spacing, std, low, high, teeth, 1.0, runs, track=track)


def _exact_families(peaks: Sequence[Peak]) -> list[Comb]:
    """Lines that turn at whole multiples of one of them, the most first: in machine time they are
    so exact that three hardly are so by chance."""
    left = [i for i, one in enumerate(peaks) if one.turns == "turns"]
    found = []
    while len(best := _most_teeth(peaks, left)) >= _EXACT_TEETH:
        found.append(_exact(peaks, best))
        taken = {i for _, i in best}
        left = [i for i in left if i not in taken]
    return found


def _most_teeth(peaks: Sequence[Peak], among: Sequence[int]) -> list[tuple[int, int]]:
    """Numbers of teeth and of the lines that stand there, of the line with the most multiples."""
    best: list[tuple[int, int]] = []
    for first in (peaks[i].tone for i in among):
        teeth = []
        for i in among:
            tone = peaks[i].tone
            number = round(tone.frequency / first.frequency)
            std = math.hypot(tone.frequency_std, number * first.frequency_std)
            play = max(_SAME * std, _NEAR * tone.frequency)
            off = abs(tone.frequency - number * first.frequency)
            if 1 <= number <= MOST_TEETH and off < play < _CHANCE * first.frequency:
                teeth.append((number, i))
        if len(teeth) > len(best) and len({n for n, _ in teeth}) == len(teeth):
            best = teeth
    return best


def _exact(peaks: Sequence[Peak], best: Sequence[tuple[int, int]]) -> Comb:
    """The family of these teeth, its spacing from all of them."""
    n = np.array([number for number, _ in best])
    f = np.array([peaks[i].tone.frequency for _, i in best])
    weight = np.array(
        [1 / max(peaks[i].tone.frequency_std, 1e-9 * peaks[i].tone.frequency) ** 2 for _, i in best]
    )
    spacing = float((weight * n * f).sum() / (weight * n * n).sum())
    comb = measured(as_lines(peaks), spacing, None, n.tolist(), _CHANCE * spacing)
    return replace(comb, spacing_std=float(1 / np.sqrt((weight * n * n).sum())))


def own_families(combs: Sequence[Comb], peaks: Sequence[Peak]) -> tuple[Comb, ...]:
    """The families with all lines of the one that is exact, and without those whose fundamental is
    a multiple of another's: their teeth are that one's."""
    kept = []
    for exact in _exact_families(peaks):
        same = [one for one in combs if one.carrier is None]
        same = [one for one in same if abs(one.spacing / exact.spacing - 1) < _ALIKE]
        if all(len(one.lines) <= len(exact.lines) for one in same):
            combs = [exact, *(one for one in combs if one not in same)]
    combs = [_of_multiples(one, peaks) for one in combs]
    for one in combs:
        others = (
            o for o in combs if o is not one and o.carrier is None and o.spacing < one.spacing
        )
        if one.carrier is None and any(_multiple(one, other) for other in others):
            continue
        kept.append(one)
    return tuple(replace(one, name=chr(ord("A") + i)) for i, one in enumerate(kept))


def _of_multiples(comb: Comb, peaks: Sequence[Peak]) -> Comb:
    """The family of a multiple of the fundamental, where most teeth are its own and the first few
    of the fundamental lack: folded teeth of hits make up the rest."""
    numbered = [(tooth.number, tooth.line) for tooth in comb.teeth if tooth.found]
    numbers = [number for number, _ in numbered]
    if comb.carrier is not None or not numbers or min(numbers) <= _FIRST_FEW:
        return comb
    for times in _MULTIPLES:
        own = [(n // times, i) for n, i in numbered if n % times == 0 and i is not None]
        if len(own) >= max(_EXACT_TEETH, _MOST_ARE * len(numbers)) and len(own) < len(numbers):
            return _exact(peaks, own)
    return comb


def _multiple(one: Comb, other: Comb) -> bool:
    times = one.spacing / other.spacing
    std = math.hypot(one.spacing_std / other.spacing, times * other.spacing_std / other.spacing)
    return abs(times - round(times)) < max(_SAME * std, 1e-6)
