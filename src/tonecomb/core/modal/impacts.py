"""Taps: hits on a structure, found in the force that a hammer measures, or in what is heard.

In a force channel a pulse stands out of noise that is almost always alone: eight times its median
absolute deviation is the threshold, and what is left to judge is the pulse itself. Without one they
are found by :mod:`tonecomb.core.modal.impact_detection`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.runs import spans_of
from tonecomb.core.modal.impact_detection import find_knocks
from tonecomb.core.record.recording import Array

DOUBLE_S = 0.1  # within which a second pulse makes a double hit
_SIGMAS = 8.0  # of the force's noise that a tap has to exceed
_TALL = 0.01  # of the greatest pulse, that one is at least
_WEAK_DB = 20.0  # below the median peak, from which a tap is weak
_RINGING_DB = 20.0  # by which an answer has fallen before the next tap, at least
_FLAT = 3  # equal samples at the peak of an overload
_ENVELOPE_S = 0.01  # over which the level of a decay is taken
WORDS = {
    "double": "double hit",
    "overload": "overload",
    "overlap": "the one before still rings",
    "cut": "the decay is cut",
    "weak": "weak",
    "end": "at an end of the record",
}


@dataclass(frozen=True)
class Tap:
    """The ``number``-th (from 1), whose pulse begins at sample ``onset``, is highest at ``top``
    with ``peak`` (signed, in the channel's unit), and is ``width`` s wide at a tenth of that (nan
    without a force). Nothing else hits before sample ``until``. ``faults`` are keys of
    :data:`WORDS`, ``notes`` say them with figures."""

    number: int
    onset: int
    top: int
    peak: float
    width: float
    until: int
    faults: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def sound(self) -> bool:
        """Whether nothing is wrong with it."""
        return not self.faults

    @property
    def why_not(self) -> str:
        """What is wrong with it, in words."""
        return ", ".join(self.notes)

    def blamed(self, fault: str, note: str = "") -> Tap:
        """The same with a fault, told with ``note`` or by its own words."""
        if fault in self.faults:
            return self
        notes = (*self.notes, note or WORDS[fault])
        return replace(self, faults=(*self.faults, fault), notes=notes)


def find_taps(force: Array | None, answers: Sequence[Array], fs: float) -> tuple[Tap, ...]:
    """The taps of a record at ``fs`` Hz: ``force`` of shape (samples,) or None, and what answers
    it. What is wrong with each is told in it; none is left out."""
    x = force if force is not None else answers[0]
    found = _pulses(x, fs) if force is not None else _knocks(answers, fs)
    taps = [replace(tap, number=i) for i, tap in enumerate(found, 1)]
    if not taps:
        return ()
    ends = [tap.onset for tap in taps[1:]] + [len(x)]
    taps = [replace(tap, until=end) for tap, end in zip(taps, ends, strict=True)]
    usual = float(np.median([abs(tap.peak) for tap in taps]))
    judged = []
    for tap in taps:
        below = 20 * math.log10(usual / abs(tap.peak)) if tap.peak else math.inf
        if below > _WEAK_DB:
            tap = tap.blamed("weak", f"weak, {below:.0f} dB below the usual")
        for signal in (*([] if force is None else [force]), *answers):
            if _flat(signal, tap, fs):
                tap = tap.blamed(
                    "overload", f"overload at {np.abs(_part(signal, tap, fs)).max():.4g}"
                )
                break
        judged.append(tap)
    return _overlapping(judged, answers, fs)


def _pulses(force: Array, fs: float) -> list[Tap]:
    """Pulses of the force; what comes within :data:`DOUBLE_S` of one is its double."""
    x = force - np.median(force)
    sign = 1.0 if x.max() >= -x.min() else -1.0
    x = sign * x
    noise = 1.4826 * float(np.median(np.abs(x)))
    least = max(_SIGMAS * noise, _TALL * float(x.max()), 1e-300)
    above = x >= least
    taps: list[Tap] = []
    for first, stop in spans_of(above):
        top = first + int(np.argmax(x[first:stop]))
        onset, end = _feet(x, top, max(3 * noise, 0.01 * x[top]))
        one = Tap(0, onset, top, sign * float(x[top]), _width(x, top, onset, end, fs), 0)
        if taps and onset <= taps[-1].top:
            continue  # a shoulder of the same pulse
        if taps and top - taps[-1].top < DOUBLE_S * fs:
            before = taps[-1]
            share = abs(one.peak / before.peak)
            if 1000 * (top - before.top) / fs < 3 * 1000 * before.width and share < 0.05:
                continue  # what the sensor rings
            apart = 1000 * (top - before.top) / fs
            text = f"double hit, {apart:.3g} ms later with {100 * share:.2g} %"
            taps[-1] = before.blamed("double", text)
            continue
        taps.append(one)
    return taps


def _feet(x: Array, top: int, low: float) -> tuple[int, int]:
    """Where a pulse rises out of, and falls back to, a level."""
    before = np.flatnonzero(x[:top] < low)
    after = np.flatnonzero(x[top:] < low)
    onset = int(before[-1]) + 1 if len(before) else 0
    return onset, top + int(after[0]) if len(after) else len(x)


def _width(x: Array, top: int, onset: int, end: int, fs: float) -> float:
    part = x[onset:end] >= 0.1 * x[top]
    return float(part.sum()) / fs


def _knocks(answers: Sequence[Array], fs: float) -> list[Tap]:
    """Taps that are only heard: where the sum of the channels' energies says so."""
    x = answers[0] if len(answers) == 1 else _joined(answers)
    taps = []
    for onset, doubled in find_knocks(x, fs):
        stop = min(len(x), onset + max(2, round(0.02 * fs)))
        top = onset + int(np.argmax(np.abs(answers[0][onset:stop])))
        tap = Tap(0, onset, top, float(answers[0][top]), math.nan, 0)
        taps.append(tap.blamed("double", "a double hit is suspected") if doubled else tap)
    return taps


def _joined(answers: Sequence[Array]) -> Array:
    """The loudest channel: phases of several would cancel."""
    return max(answers, key=lambda one: float(np.abs(one).max()))


def _part(signal: Array, tap: Tap, fs: float) -> Array:
    return signal[tap.onset : min(len(signal), tap.onset + max(4, round(0.05 * fs)))]


def _flat(signal: Array, tap: Tap, fs: float) -> bool:
    """Whether a signal stays at its extreme for some samples, as a recorder at its limit does."""
    part = _part(signal, tap, fs)
    if len(part) < _FLAT:
        return False
    most = float(np.abs(part).max())
    if most <= 0:
        return False
    for limit in (most, -most):
        same: NDArray[np.bool_] = part == limit
        if any(stop - first >= _FLAT for first, stop in spans_of(same)):
            return True
    return False


def _overlapping(taps: list[Tap], answers: Sequence[Array], fs: float) -> tuple[Tap, ...]:
    """Those that begin before the one before has rung out, or whose own decay is cut."""
    if not answers:
        return tuple(taps)
    levels = [_envelope(one, fs) for one in answers]
    hop = max(1, round(_ENVELOPE_S * fs))
    judged = list(taps)
    for i, (tap, after) in enumerate(pairwise(taps)):
        left = _left(levels, tap, after.onset, hop)
        if left > -_RINGING_DB:
            judged[i] = judged[i].blamed("cut", f"cut by the next, {left:.0f} dB are left")
            judged[i + 1] = judged[i + 1].blamed(
                "overlap", f"the one before still rings at {left:.0f} dB"
            )
    last = taps[-1]
    left = _left(levels, last, len(answers[0]), hop)
    if left > -_RINGING_DB:
        judged[-1] = judged[-1].blamed("cut", f"cut by the end, {left:.0f} dB are left")
    return tuple(judged)


def _envelope(x: Array, fs: float) -> Array:
    """Rms in blocks of 10 ms."""
    hop = max(1, round(_ENVELOPE_S * fs))
    count = len(x) // hop
    y = x[: count * hop].reshape(count, hop)
    return np.asarray(np.sqrt(((y - np.median(x)) ** 2).mean(axis=1)))


def _left(levels: Sequence[Array], tap: Tap, end: int, hop: int) -> float:
    """Level just before ``end`` over the highest after the tap, dB; the least fallen channel's."""
    values = []
    for level in levels:
        part = level[tap.onset // hop : max(tap.onset // hop + 1, end // hop)]
        tail = part[-max(1, min(5, len(part) // 4)) :]
        most = float(part.max(initial=0.0))
        if most > 0:
            values.append(20 * math.log10(max(float(np.median(tail)), 1e-300) / most))
    return max(values, default=-math.inf)
