"""The account of a stretch: what its mean square is made of, in parts that add up to it.

Each part is what was found, with what stands over the noise where it is: a line has the power that
was fitted to it and what its changes spread about it; what moves, a broad peak and a mode what
rises from the noise where they are. No bin is counted twice. What rises from the noise beyond
chance and belongs to none of them is a part of its own: what is left.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.content import Content
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.floor import significance
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.ridge import Ridge
from tonecomb.core.find.variable_speed import Moving
from tonecomb.core.record.recording import Array
from tonecomb.core.results.findings import mode_at

Kind = Literal["family", "tone", "runs", "mode", "broad", "ends", "left", "noise"]
_EVERY: tuple[Kind, ...] = get_args(Kind)
_NEAR = 3.0  # bins to each side of a steady line that are its own
_FAR = 64.0  # bins as far as what begins and ends may reach
_ABOUT = 5  # bins, whose mean says how far that is
_RISES = 1.5  # times the noise, to which it is followed
_MODE, _TAILS = 6.0, 50.0  # half widths of a mode that are its own, and that its tails may reach
_LOW = 0.1  # of the noise's bins, that lie below what is under a mode
_GAP = 3  # bins between two that hold more than noise can, which are of one thing
_STANDS, _BESIDE = 1.5, 16  # times what is beside it that it holds; bins that are looked at there
_AT_ENDS = 0.03  # of the power, that frames lack at the ends
_SURE = 5.0  # standard deviations of the noise, beyond which the frames' power is another
_BAND = (0.05, 0.95)  # of the power of what is left, between which its band lies


@dataclass(frozen=True)
class Part:
    """One part: its ``power`` as mean square over the stretch (unit²) with the standard deviation,
    where it is (``low`` to ``high``, Hz), its ``name`` (a family's), its ``frequency`` (Hz, nan
    without one), and the numbers of the ``peaks`` that are in it."""

    kind: Kind
    power: float
    std: float
    low: float
    high: float
    name: str = ""
    frequency: float = math.nan
    peaks: tuple[int, ...] = ()


@dataclass(frozen=True, eq=False)
class Account:
    """All ``parts`` of the mean square of a ``whole`` stretch (unit²), which they add up to; and
    the spectrum that is ``left`` when all that was found is taken off."""

    whole: float
    parts: tuple[Part, ...]
    left: Spectrum

    def share(self, part: Part) -> float:
        """Its share of the whole."""
        return part.power / self.whole if self.whole > 0 else 0.0

    def of_kind(self, *kinds: Kind) -> tuple[Part, ...]:
        """The parts of these kinds."""
        return tuple(one for one in self.parts if one.kind in kinds)

    def of_peaks(self, numbers: set[int]) -> float:
        """The power of the single tones and broad peaks with these numbers (unit²)."""
        return sum(one.power for one in self.parts if one.peaks and numbers.issuperset(one.peaks))


@dataclass(frozen=True, eq=False)
class Held:
    """What an account is made of, in one unit: the spectrum's ``content``, the noise's ``floor``
    and what each bin is worth in ``averages`` (shape (bins,), None where they are not known), and
    what was found."""

    content: Content
    floor: Array | None
    averages: Array | None
    peaks: Sequence[Peak]
    families: Sequence[Comb]
    modes: Sequence[Resonance]
    moving: Moving | None
    ridge: Ridge | None


def account(held: Held, whole: float) -> Account:
    """The account of a stretch whose mean square is ``whole`` (unit²). Where the frames have less,
    since what is at the ends or short may hardly weigh in them, that is a part."""
    bins = _Bins(held)
    parts = [bins.mode(one) for one in held.modes]
    of_peaks = {
        i: bins.peak(i)
        for i, one in enumerate(held.peaks)
        if one.tone.steady or mode_at(one, held.modes) is None
    }
    for comb in held.families:  # a carrier is in its sidebands' family and in its own: once
        teeth = [of_peaks.pop(i) for i in comb.lines if i in of_peaks]
        parts += [_family(comb, teeth)] if teeth else []
    parts += [*bins.runs(), *of_peaks.values()]
    left = bins.left()
    if left.power > 0:
        parts.append(left)
    nyquist = float(held.content.rest.frequency[-1])
    beyond = whole - held.content.whole
    if abs(beyond) > max(_AT_ENDS * whole, _SURE * bins.noise_std):
        if beyond > 0:
            parts.append(Part("ends", beyond, 0.0, 0.0, nyquist))
        else:
            parts = _weighed(parts, held.peaks, -beyond)
    # Where they are more than all there is, it is what is known least that is too much.
    for kinds in (("mode", "runs", "broad", "left"), _EVERY):
        much = sum(one.power for one in parts) - whole
        some = sum(one.power for one in parts if one.kind in kinds)
        if much > 0 and some > 0:
            kept = max(1 - much / some, 0.0)
            parts = [replace(p, power=p.power * kept) if p.kind in kinds else p for p in parts]
    known = sum(one.power for one in parts)
    parts.append(Part("noise", max(whole - known, 0.0), bins.noise_std, 0.0, nyquist))
    return Account(whole, tuple(parts), bins.spectrum)


def _weighed(parts: Sequence[Part], peaks: Sequence[Peak], less: float) -> list[Part]:
    """The parts with so much less power (unit²), taken from those that do not stand in all frames:
    these were where frames weigh most."""
    goes = [bool(one.peaks) and not any(peaks[i].tone.steady for i in one.peaks) for one in parts]
    power = sum(one.power for one, at in zip(parts, goes, strict=True) if at)
    kept = max(1 - less / power, 0.0) if power > 0 else 1.0
    return [
        replace(one, power=one.power * kept) if at else one
        for one, at in zip(parts, goes, strict=True)
    ]


def _family(comb: Comb, teeth: Sequence[Part]) -> Part:
    """A family of these teeth."""
    return Part(
        "family",
        sum(one.power for one in teeth),
        math.hypot(*(one.std for one in teeth)),
        min(one.low for one in teeth),
        max(one.high for one in teeth),
        comb.name,
        comb.spacing if comb.carrier is None else comb.carrier,
        tuple(sorted(i for one in teeth for i in one.peaks)),
    )


class _Bins:
    """What each bin of the rest holds over the noise, given to one part after the other."""

    def __init__(self, held: Held) -> None:
        self._held, rest = held, held.content.rest
        self._hz, self._frequency = rest.frame_hz, rest.frequency
        self._per_bin = rest.bin_hz / rest.enbw_hz
        floor = np.zeros(len(rest.frequency)) if held.floor is None else held.floor
        self._floor = floor
        self._over = rest.mean_square - floor
        self._free = np.ones(len(floor), dtype=bool)
        self._lines = dict(
            zip(held.content.frequency.tolist(), held.content.power.tolist(), strict=True)
        )
        self._places = np.array([one.tone.frequency for one in held.peaks])

    def _span(self, low: float, high: float) -> slice:
        first, stop = np.searchsorted(self._frequency, [low, high])
        return slice(int(first), int(stop))

    def _take(self, low: float, high: float) -> float:
        """The power over the noise that is free between two frequencies (Hz), which is given."""
        at = self._span(low, high)
        power = float(self._over[at][self._free[at]].sum()) * self._per_bin
        self._free[at] = False
        return max(power, 0.0)

    def _reach(self, place: float, far: float) -> tuple[float, float]:
        """How far what does not stand rises from the noise about its place (Hz): to each side, no
        further than ``far`` (Hz) and half the way to the next peak."""
        others = self._places[np.abs(self._places - place) > self._hz]
        below = float(others[others < place].max(initial=-place))
        above = float(others[others > place].min(initial=math.inf))
        low = max((place + below) / 2, place - far, 0.0)
        high = min((place + above) / 2, place + far, float(self._frequency[-1]))
        at = self._span(low, high)
        over, floor = self._over[at], self._floor[at]
        if len(over) <= _ABOUT:
            return low, high
        kernel = np.full(_ABOUT, 1 / _ABOUT)
        rises = np.convolve(over, kernel, "same") > (_RISES - 1) * floor
        top = min(max(round((place - low) / (high - low) * len(over)), 0), len(over) - 1)
        first, stop = top, top
        while first > 0 and rises[first - 1]:
            first -= 1
        while stop < len(over) and rises[stop]:
            stop += 1
        near = _NEAR * self._hz
        return (
            min(float(self._frequency[at][first]), max(place - near, low)),
            max(float(self._frequency[at][max(stop - 1, 0)]), min(place + near, high)),
        )

    def peak(self, number: int) -> Part:
        """A peak: a line with what its changes spread about it, or what rises where it is."""
        one = self._held.peaks[number]
        tone, doing = one.tone, one.behaviour
        place, near = tone.frequency, _NEAR * self._hz
        if tone.steady:
            low, high = place - near, place + near
        else:
            low, high = self._reach(place, _FAR * self._hz)
            if doing is not None:
                low, high = min(low, doing.low - near), max(high, doing.high + near)
        power = self._lines.get(place, 0.0)
        if place in self._lines and not tone.steady:  # all that is in the lobe, the noise as well
            lobe = self._span(place - 2 * self._hz, place + 2 * self._hz)
            power = max(power - float(self._floor[lobe].sum()) * self._per_bin, 0.0)
            self._over[lobe] = np.maximum(self._over[lobe], 0.0)
        power += self._take(low, high)
        std = tone.amplitude * tone.amplitude_std
        broad = doing is not None and doing.kind == "hump"
        kind: Kind = "broad" if broad else "tone"
        return Part(kind, power, std, low, high, frequency=place, peaks=(number,))

    def runs(self) -> list[Part]:
        """What a family that moves, or one tone that runs, has where no peak is."""
        moving, ridge = self._held.moving, self._held.ridge
        spans: list[tuple[float, float]] = []
        if ridge is not None:
            spans = [(0.9 * ridge.low, 1.1 * ridge.high)]
        elif moving is not None:
            spans = [(number * moving.low, number * moving.high) for number in moving.teeth]
        if not spans:
            return []
        near = _NEAR * self._hz
        power = sum(self._take(low - near, high + near) for low, high in spans)
        return [Part("runs", power, 0.0, min(spans)[0], max(high for _, high in spans))]

    def mode(self, one: Resonance) -> Part:
        """What rises from the noise about a mode; of a wide one, which what is smoothed follows,
        the area under its resonance curve: its height × π/2 × its half-power bandwidth."""
        half = max(one.bandwidth, one.half_power if one.half_power > 0 else 0.0) / 2
        low, high = self._reach(one.frequency, max(_TAILS * half, _FAR * self._hz))
        low = min(low, one.frequency - _MODE * half)
        high = max(high, one.frequency + _MODE * half)
        background = min(float(one.fit.min()), float(np.quantile(self._floor, _LOW)))
        height = float(one.fit.max()) - background
        area = height * math.pi / 2 * one.bandwidth / self._held.content.rest.enbw_hz
        power = max(self._take(low, high), area)
        std = power * 2 * one.damping_std / one.damping if one.damping > 0 else 0.0
        return Part("mode", power, std, low, high, frequency=one.frequency)

    def left(self) -> Part:
        """What rises from the noise beyond chance, and is no part of the others."""
        beyond = self._borne_out(self._beyond)
        over = np.where(beyond, self._over, 0.0)
        power = float(over.sum()) * self._per_bin
        if not power > 0:
            return Part("left", 0.0, 0.0, 0.0, 0.0)
        running = np.cumsum(over) / over.sum()
        at = np.minimum(np.searchsorted(running, _BAND), len(over) - 1)
        low, high = self._frequency[at].tolist()
        return Part("left", power, self._std(beyond), low, high)

    @property
    def _beyond(self) -> NDArray[np.bool_]:
        """Bins that are free and hold more than noise can."""
        rest, averages = self._held.content.rest, self._held.averages
        if averages is None or self._held.floor is None:
            return np.zeros(len(self._floor), dtype=bool)
        pad = round(rest.frame_hz / rest.bin_hz)
        return self._free & (rest.mean_square > self._floor * significance(averages, pad))

    def _borne_out(self, beyond: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Those of them that rise from what is on both sides of them: where a spectrum falls
        steeply its noise lies over what is smoothed."""
        places = np.flatnonzero(beyond)
        borne = np.zeros_like(beyond)
        if not places.size:
            return borne
        squares = self._held.content.rest.mean_square
        for run in np.split(places, np.flatnonzero(np.diff(places) > _GAP) + 1):
            first, stop = int(run[0]), int(run[-1]) + 1
            side = max(_BESIDE, stop - first)
            beside = [squares[max(first - side, 0) : first], squares[stop : stop + side]]
            if all(len(one) >= side // 2 for one in beside):
                level = max(float(np.median(one)) for one in beside)
                borne[run] = squares[run].mean() > _STANDS * level
        return borne

    def _std(self, where: NDArray[np.bool_]) -> float:
        """Standard deviation of the noise's power in some bins."""
        averages = self._held.averages
        if averages is None:
            return 0.0
        scatter = self._floor[where] ** 2 / np.maximum(averages[where], 1.0)
        return math.sqrt(float(scatter.sum()) * self._per_bin)

    @property
    def noise_std(self) -> float:
        """Standard deviation of the power of the noise."""
        return self._std(np.ones(len(self._floor), dtype=bool))

    @property
    def spectrum(self) -> Spectrum:
        """The spectrum without what was found: there it is the noise's level."""
        rest = self._held.content.rest
        squares = np.where(self._free, rest.mean_square, self._floor)
        return replace(rest, mean_square=squares)
