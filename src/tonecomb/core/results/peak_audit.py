"""What peaks and modes are, once they are there: what the band of each does is asked, what are only
sides of a peak that comes and goes are taken out, and pieces of one that moves are joined."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.behaviour import Behaviour
from tonecomb.core.find.mode import Resonance, half_power_width
from tonecomb.core.find.mode_witness import Verdict, WholeStretch, verdict
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.searches import Fit
from tonecomb.core.record.windows import Window
from tonecomb.core.results.findings import mode_at

_MODES = ("mode", "rings")
_ASKED = 8  # strongest broad peaks, besides the modes
_CLEAR = 10.0  # times the noise, from which a narrow band is its peak's: 10 dB
_NARROW = 0.01  # of its frequency: an oscillator's line is no wider than so
_SIDED = ("comes and goes", "wanders", "moves")  # what has sides
_SIDES, _EDGES = 64.0, 3.0  # bins to which they reach; times the square of what one edge leaves
_APART, _IN_TURN = 6.0, 1.15  # bins between two pieces; the frames in which both stand together
_SKIRT = 3.0  # bins to either side of what a tone covers, in which it is
_PIECES = 6.0  # of what a tone covers that was seen in pieces, that its mean is uncertain
_LINES = 16.0  # bins to each side in which the noise about a line is told
_LEAST_LINE = 0.3  # of the window's line, that a broad peak is wide at least


Whole = Callable[[], WholeStretch | None]
"""The transform of the whole stretch, made when it is first asked for."""


def with_lines(peaks: Sequence[Peak], spectrum: Spectrum, whole: Whole) -> tuple[Peak, ...]:
    """The peaks; those whose frames say that they stand, but whose phase something else disturbs,
    by the line that keeps one phase over the whole stretch: a tone on a mode's noise."""

    def read(peak: Peak) -> Peak:
        doing, stretch = peak.behaviour, None
        if peak.clear and not peak.tone.steady and doing is not None and doing.kind == "steady":
            stretch = whole()
        line = stretch and stretch.line(peak.tone.frequency, _LINES * spectrum.frame_hz)
        if not line or not stretch or abs(line[0] - peak.tone.frequency) > spectrum.frame_hz:
            return peak
        frequency, amplitude, std = line
        # Of a line in noise (Rife and Boorstyn, IEEE Trans. Inf. Theory 20 (1974) 591-598).
        frequency_std = math.sqrt(3) / math.pi * std / amplitude / stretch.seconds
        tone = replace(
            peak.tone,
            frequency=frequency,
            frequency_std=frequency_std,
            amplitude=amplitude,
            amplitude_std=std,
            steady=True,
        )
        stands = Behaviour("steady", 1.0, amplitude, frequency, frequency)
        return replace(peak, tone=tone, behaviour=stands)

    return tuple(read(peak) for peak in peaks)


def asked(
    peaks: Sequence[Peak], spectrum: Spectrum, taper: Window, whole: Whole, fs: float
) -> tuple[Peak, ...]:
    """The peaks, the strongest of those that do not stand called by what their bands do; sides of
    others taken out, pieces of one joined. To be asked before families are looked for, whose teeth
    are known by their peaks' numbers."""
    line = taper.width_3db * spectrum.frame_hz
    broad = sorted((one for one in peaks if _unsteady(one)), key=lambda one: -one.level)[:_ASKED]
    called: dict[int, Behaviour] = {}
    stretch = whole() if broad and spectrum.framing.kept is None else None
    for peak in broad if stretch is not None else ():
        width = half_power_width(spectrum, peak.tone.frequency)
        width = line if math.isnan(width) else max(width - line, _LEAST_LINE * line)
        if width > _NARROW * peak.tone.frequency or peak.level < _CLEAR * peak.floor:
            continue
        assert stretch is not None
        said = _ask(stretch, peak.tone.frequency, width, peaks, (), spectrum, fs)
        # What its frames say of a tone is more than its band does, unless that is noise.
        if _hump(peak) or said.kind == "mode":
            called[id(peak)] = _behaviour(peak, said, width)
    if stretch is not None:
        peaks = [_called(one, called.get(id(one)), stretch.seconds) for one in peaks]
    return _settled(peaks, spectrum)


def borne_modes(
    peaks: Sequence[Peak],
    resonances: Sequence[Resonance],
    by_hand: Sequence[Fit],
    spectrum: Spectrum,
    whole: Whole,
    fs: float,
) -> tuple[tuple[Peak, ...], list[Resonance]]:
    """The resonances whose bands do as a mode's does, and the same peaks, those at the others
    called by what they do. Those fitted ``by_hand`` are what somebody says that they are."""
    doubted = [one for one in resonances if _in_doubt(one, by_hand)]
    stretch = whole() if doubted and spectrum.framing.kept is None else None
    if stretch is None:
        return tuple(peaks), list(resonances)
    gone: list[tuple[Resonance, Verdict]] = []
    for one in doubted:
        said = _ask(stretch, one.frequency, one.bandwidth, peaks, resonances, spectrum, fs)
        if said.kind in _MODES and not _clear(one):
            said = Verdict("unsure")
        if said.kind not in _MODES:
            gone.append((one, said))
    kept = [one for one in resonances if not any(one is other for other, _ in gone)]
    called: dict[int, Behaviour] = {}
    for one, said in gone:
        for peak in (peak for peak in peaks if mode_at(peak, [one]) is one):
            called[id(peak)] = _behaviour(peak, said, one.bandwidth)
    return tuple(_called(one, called.get(id(one)), stretch.seconds) for one in peaks), kept


def _settled(peaks: Sequence[Peak], spectrum: Spectrum) -> tuple[Peak, ...]:
    """The peaks without those that are sides of another, pieces of one that moves joined."""
    bin_hz = spectrum.frame_hz
    own = [one for one in peaks if one.by_hand or not _is_side(one, peaks, bin_hz)]
    own.sort(key=lambda one: -one.tone.amplitude)
    joined: list[Peak] = []
    for one in own:
        same = (i for i, other in enumerate(joined) if _same(one, other, _APART * bin_hz))
        whole = next(same, None)
        if whole is None:
            joined.append(one)
        else:
            joined[whole] = _joined(joined[whole], one, spectrum)
    return tuple(sorted(joined, key=lambda one: one.tone.frequency))


def _is_side(one: Peak, peaks: Sequence[Peak], bin_hz: float) -> bool:
    """Whether a peak that does not stand is what the edges of another leave beside it: where a tone
    of amplitude A begins or ends within a Hann frame it has A / 2πk at k bins from it."""

    def leaves(other: Peak) -> bool:
        doing = other.behaviour
        if doing is None or doing.kind not in _SIDED or other.level <= one.level:
            return False
        away = abs(other.tone.frequency - one.tone.frequency) / bin_hz
        edge = doing.present / (2 * math.pi * max(away, 1.0))
        return away < _SIDES and one.level < _EDGES * edge**2

    return not one.tone.steady and any(leaves(other) for other in peaks)


def _same(one: Peak, other: Peak, near: float) -> bool:
    """Whether two are pieces of one tone that moves: what they cover overlaps; or is ``near`` (Hz)
    and one stands about when the other does not."""
    a, b = one.behaviour, other.behaviour
    if a is None or b is None or "moves" not in (a.kind, b.kind):
        return False
    if a.kind == b.kind and a.low <= b.high and b.low <= a.high:
        return True
    in_turn = a.share + b.share < _IN_TURN
    goes = all(one.kind in ("moves", "comes and goes") for one in (a, b))
    return goes and in_turn and a.low <= b.high + near and b.low <= a.high + near


def _joined(one: Peak, other: Peak, spectrum: Spectrum) -> Peak:
    """One tone of two pieces, of the power that stands over the noise where they are."""
    a, b = one.behaviour, other.behaviour
    assert a is not None and b is not None
    powers = one.tone.amplitude**2, other.tone.amplitude**2
    middle = float(np.average([one.tone.frequency, other.tone.frequency], weights=powers))
    low, high = min(a.low, b.low), max(a.high, b.high)
    std = max(one.tone.frequency_std, other.tone.frequency_std, (high - low) / _PIECES)
    wide = _SKIRT * spectrum.frame_hz
    first, stop = np.searchsorted(spectrum.frequency, [low - wide, high + wide])
    over = spectrum.mean_square[first:stop] - one.floor
    power = 2 * float(over.sum()) * spectrum.bin_hz / spectrum.enbw_hz
    # Both count the bins between them, at the most.
    power = min(max(power, max(powers)), sum(powers))
    tone = replace(
        one.tone,
        frequency=middle,
        frequency_std=std,
        amplitude=math.sqrt(power),
        amplitude_std=math.hypot(one.tone.amplitude_std, other.tone.amplitude_std),
    )
    doing = replace(a, kind="moves", share=min(a.share + b.share, 1.0), low=low, high=high)
    level = max(one.level, other.level)
    # The saddle between them is its own: it rises from the noise.
    rises = 10 * math.log10(level / one.floor)
    return replace(one, tone=tone, behaviour=doing, level=level, prominence_db=rises)


def _in_doubt(one: Resonance, by_hand: Sequence[Fit]) -> bool:
    named = any(fit.low <= one.frequency <= fit.high for fit in by_hand)
    return one.kind == "noise" and not named


def _unsteady(peak: Peak) -> bool:
    return peak.clear and not peak.tone.steady and peak.behaviour is not None


def _hump(peak: Peak) -> bool:
    return peak.behaviour is not None and peak.behaviour.kind == "hump"


def _clear(one: Resonance) -> bool:
    """Whether a mode stands so high that its band is its own, or is wider than an oscillator's
    line."""
    high = float(one.fit.max()) >= _CLEAR * float(one.fit.min())
    return high or one.bandwidth > _NARROW * one.frequency


def _ask(
    stretch: WholeStretch,
    frequency: float,
    width: float,
    peaks: Sequence[Peak],
    resonances: Sequence[Resonance],
    spectrum: Spectrum,
    fs: float,
) -> Verdict:
    steady = sorted((one for one in peaks if one.tone.steady), key=lambda one: -one.level)
    beside = [
        one.tone.frequency
        for one in peaks
        if not one.tone.steady and mode_at(one, resonances) is None
    ]
    near = width / 2 + spectrum.frame_hz
    below = [one for one in beside if one < frequency - near]
    above = [one for one in beside if one > frequency + near]
    room = (
        (frequency + max(below, default=-frequency)) / 2,
        (frequency + min(above, default=fs - frequency)) / 2,
    )
    tones = [one.tone.frequency for one in steady]
    return verdict(stretch, frequency, width, spectrum.frame_hz, room, tones)


def _behaviour(peak: Peak, said: Verdict, width: float) -> Behaviour:
    f, amplitude = peak.tone.frequency, peak.tone.amplitude
    if said.kind == "wanders":
        return Behaviour("wanders", 1.0, amplitude, f - width / 2, f + width / 2)
    if said.kind == "bursts":
        present = amplitude / math.sqrt(max(said.share, 1e-6))
        return Behaviour("comes and goes", said.share, present, f, f)
    return Behaviour("hump", 1.0, amplitude, f, f)


def _called(peak: Peak, doing: Behaviour | None, seconds: float) -> Peak:
    """The peak with what it does; the mean place of a phase that walks is as uncertain as its
    line's width and the time make it."""
    if doing is None or peak.tone.steady:
        return peak
    std = peak.tone.frequency_std
    if doing.kind == "wanders":
        std = max(std, math.sqrt(doing.moved / (2 * math.pi * seconds)))
    return replace(peak, tone=replace(peak.tone, frequency_std=std), behaviour=doing)
