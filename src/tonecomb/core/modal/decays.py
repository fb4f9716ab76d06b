"""What rings after taps that nobody measured: decays of all of them, as curves with common poles.

From a few milliseconds after the onset on nothing pushes any more: y(t) = Σ A·e^{λt}, whose
transform is Σ A/(iω−λ) and a background that is smooth over the range, with amplitudes of its own
for every tap. So the same fit serves as for transfer functions. The noise is that before each tap,
colour and all.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.modal.impacts import Tap
from tonecomb.core.modal.response import Response, alike_bins
from tonecomb.core.record.recording import Array

CONTACT_S = 0.004
"""After a tap's onset, until nothing pushes any more."""
_FALLEN = 1e-3  # of its first level, that an exponential leaves at a frame's end at most
_NOISE = 256  # samples of a noise frame, at least
_SMOOTH = 15  # samples that a decay's square is averaged over


def of_decays(
    answers: Sequence[Array], fs: float, taps: Sequence[Tap], frame: int, *, decay: float = 0.0
) -> Response:
    """A curve for each tap and answer, in the order tap by tap, shape (taps·answers, bins), in the
    unit times s: what rings in ``frame`` samples from after the contact, or until the next tap.
    ``decay`` is the time constant (s) of an exponential; 0 has one only where a frame is cut."""
    skip = max(1, round(CONTACT_S * fs))
    used = [tap for tap in taps if tap.until - tap.onset > 2 * skip + 16]
    if not used:
        raise UserError("No tap has a decay to look at", remedy="take some back")
    frame = min(frame, max(min(tap.until, len(answers[0])) - tap.onset - skip for tap in used))
    shortest = min(min(tap.until, len(answers[0])) - tap.onset - skip for tap in used)
    tau = decay or (shortest / fs / -math.log(_FALLEN) if shortest < frame else 0.0)
    from scipy.fft import rfft

    weights = np.exp(-np.arange(frame) / (tau * fs)) if tau else np.ones(frame)
    curves, noises = [], []
    for tap in used:
        start = tap.onset + skip
        stop = min(start + frame, tap.until, len(answers[0]))
        for answer in answers:
            part = np.zeros(frame)
            here = answer[start:stop] - _rest(answer, tap.onset)
            part[: stop - start] = here * weights[: stop - start]
            curves.append(rfft(part) / fs)
            noises.append(_noise(answer, tap.onset, frame, fs))
    # Noise differs little from tap to tap: their median knows it best.
    count = len(answers)
    shared = [np.nanmedian(noises[i::count], axis=0) for i in range(count)]
    energy = float((weights**2).sum()) / fs**2
    variance = np.stack([shared[i % count] * energy for i in range(len(curves))])
    h = np.stack(curves)
    return Response(
        np.arange(frame // 2 + 1) * fs / frame,
        h,
        None,
        variance,
        float(len(used)),
        (np.abs(h) ** 2).mean(axis=0),
        frame,
        fs,
        "h1",
        tau,
        tuple(tap.number for tap in used),
        alike_bins(weights, frame),
    )


def _rest(answer: Array, onset: int) -> float:
    """Where a channel stands before a tap."""
    part = answer[max(0, onset - _NOISE) : onset]
    return float(np.median(part)) if len(part) else 0.0


def _noise(answer: Array, onset: int, frame: int, fs: float) -> Array:
    """Mean square of white noise samples that would be as loud in each bin, from what is before a
    tap."""
    from scipy.fft import rfft

    bins = frame // 2 + 1
    length = min(max(_NOISE, frame // 8), onset)
    if length < 32:
        return np.full(bins, np.nan)
    part = answer[onset - length : onset]
    taper = np.hanning(length)
    square = np.abs(rfft((part - part.mean()) * taper)) ** 2 / float((taper**2).sum())
    wide = min(_SMOOTH, len(square) // 2 * 2 - 1)
    padded = np.pad(square, wide // 2, mode="edge")
    smooth = np.convolve(padded, np.ones(wide) / wide, "valid")
    there = np.linspace(0, 1, len(smooth))
    return np.asarray(np.interp(np.linspace(0, 1, bins), there, smooth))
