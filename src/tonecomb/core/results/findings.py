"""What was found in an estimate, and how its parts bear on each other."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.estimate.content import Content, content
from tonecomb.core.find.behaviour import Behaviour
from tonecomb.core.find.changes import Changes
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.damping import Data, find_resonances, fit_by_hand
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.modes_near_tones import find_between, find_under
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.ridge import Ridge
from tonecomb.core.find.variable_speed import Moving
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window
from tonecomb.core.results.estimate import Estimate
from tonecomb.core.results.machine_time import MachineTime

SEVERAL = 3
"""Peaks that move, or stand still, from which a family, or a mode under them, is looked for."""
UNSTEADY = ("moves", "wanders", "hump")
"""What peaks do that are no line."""
_SWEPT = 2.0  # times what is told apart, that a tooth sweeps over before its peaks are its


@dataclass(frozen=True, eq=False)
class Findings:
    """What was found in an estimate, in the channel's own quantity: ``peaks``, the noise's mean
    square per bin (unit²) and what each bin is worth in averages (shape (bins,)), a family that
    moves, how many more peaks there are than were asked for, what else changes over the stretch,
    the families among the peaks (None where they have not been looked for), and ``resonances``;
    with its ``content`` levels take no time to read. ``machine`` is the time of a machine whose
    speed breathes, and ``ridge`` one tone that holds most of the power wherever it goes;
    ``left_at`` says when (s from the stretch's start) there is what is none of these, None where
    that is always so, or nothing."""

    peaks: tuple[Peak, ...] = ()
    floor: Array | None = None
    averages: Array | None = None
    moving: Moving | None = None
    unlisted: int = 0
    changes: Changes | None = None
    combs: tuple[Comb, ...] | None = None
    resonances: tuple[Resonance, ...] = ()
    content: Content | None = None
    machine: MachineTime | None = None
    ridge: Ridge | None = None
    left_at: tuple[float, float] | None = None

    @property
    def nbytes(self) -> int:
        """What it holds in memory, besides the estimate."""
        rest = 0 if self.content is None else self.content.rest.mean_square.nbytes
        return rest + (0 if self.floor is None else 2 * self.floor.nbytes)

    def content_of(self, estimate: Estimate, taper: Window) -> Content:
        """The lines that stand in the stretch and the rest of the frames' mean. What moves over
        bins, a broad peak and a mode are no lines."""
        lines = [
            one
            for one in self.peaks
            if one.tone.steady
            or (
                mode_at(one, self.resonances) is None
                and (one.behaviour is None or one.behaviour.kind not in UNSTEADY)
            )
        ]
        return content(
            estimate.averaged,
            taper,
            np.array([one.tone.frequency for one in lines]),
            np.array([one.tone.amplitude**2 / 2 for one in lines]),
            np.array([one.tone.steady for one in lines], dtype=bool),
            self.floor if estimate.mean is None else None,
        )


def mode_at(peak: Peak, resonances: Sequence[Resonance]) -> Resonance | None:
    """The mode that a peak is the top of, None where it is a tone's line."""
    near = (
        one
        for one in resonances
        if abs(one.frequency - peak.tone.frequency) < max(one.bandwidth, one.half_power) / 2
    )
    return next(near, None)


def of_family(peak: Peak, moving: Moving | None, separable: float) -> Peak:
    """The peak, which is somewhere in what a tooth of a family sweeps over where it has no phase
    and no behaviour of its own: nothing steady stands there."""
    doing, tone = peak.behaviour, peak.tone
    if moving is None or doing is None or doing.kind != "steady" or tone.steady:
        return peak
    number = max(1, round(tone.frequency / moving.mean))
    low, high = number * moving.low, number * moving.high
    if not low <= tone.frequency <= high or high - low < _SWEPT * separable:
        return peak
    tone = replace(tone, frequency_std=max(tone.frequency_std, (high - low) / math.sqrt(12)))
    return replace(peak, tone=tone, behaviour=replace(doing, kind="moves", low=low, high=high))


def of_mode(peak: Peak, resonances: list[Resonance]) -> Peak:
    """The peak, whose wandering is that of the noise where a mode explains it."""
    doing, f = peak.behaviour, peak.tone.frequency
    near = (one for one in resonances if one.kind == "noise")
    if (
        doing is None
        or peak.tone.steady
        or not any(abs(one.frequency - f) < one.bandwidth for one in near)
    ):
        return peak
    return replace(peak, behaviour=Behaviour("hump", 1.0, peak.tone.amplitude, f, f))


def modes(
    estimate: Estimate,
    found: Findings,
    combs: tuple[Comb, ...],
    method: Method,
    taper: Window,
    resting: Data | None = None,
) -> list[Resonance]:
    """The modes that are fitted by hand, those that are peaks, and those under tones; of a machine
    whose speed breathes those of what is ``resting``."""
    spectrum, peaks, fits = estimate.spectrum, found.peaks, method.search.fits
    teeth = {line for comb in combs for line in comb.lines}
    moving = found.moving
    # Hits that slip have teeth so wide that a few frames show several peaks in each.
    slip = [
        comb
        for comb in combs
        if 2 * sum(not peaks[i].tone.steady for i in comb.lines) > len(comb.lines)
    ]
    alone = [
        peak
        for i, peak in enumerate(peaks)
        if i not in teeth
        and not (moving and moving.sweeps(peak.tone.frequency))
        and not any(comb.goes_on_to(peak.tone.frequency) for comb in combs)
        and not any(comb.beside_tooth(peak.tone.frequency) for comb in slip)
    ]
    decay = None if estimate.single is None else estimate.single.samples
    data = Data(spectrum, taper, estimate.fs, decay, found.averages)
    by_hand = [one for fit in fits for one in fit_by_hand(data, fit)]
    if resting is not None:
        known = [one.frequency for one in by_hand]
        bins = spectrum.enbw_hz / resting.spectrum.enbw_hz  # as they are drawn
        between = find_between(resting, known)
        return [*by_hand, *(replace(one, fit=one.fit * bins) for one in between)]
    if moving is not None and moving.runs:
        return by_hand  # what the averaged spectrum rises to there is where it dwelt
    by_itself = [
        one
        for one in find_resonances(data, [peak.tone.frequency for peak in alone])
        if not any(fit.low <= one.frequency <= fit.high for fit in fits)
        and not any(comb.beside_tooth(one.frequency) for comb in slip)
    ]
    still = [peak for peak in peaks if peak.tone.steady]
    if decay is not None or moving or found.floor is None:
        return [*by_hand, *by_itself]
    known = [one.frequency for one in (*by_hand, *by_itself)]
    # A tooth that is wider than a line is no mode.
    known += [peaks[i].tone.frequency for i in teeth if not peaks[i].tone.steady]
    return [*by_hand, *by_itself, *find_under(still, data, found.floor, known)]
