"""What is to be said of a transfer function and its modes before they are believed."""

from __future__ import annotations

import math

import numpy as np

from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.modal.impacts import Tap
from tonecomb.core.modal.modes import Modes, find_modes
from tonecomb.core.modal.response import Response, hammer_reaches
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.record.signal import Signal

_LITTLE = 0.8  # coherence below which a peak is not to be believed
_LEFT = 0.01  # of a decay's peak that may be left at a frame's end
_HAMMER_DB = 20.0  # that the hammer may be weaker within the range
_SURE, _MATTERS_F, _MATTERS_D = 4.0, 5e-4, 0.03  # standard deviations, and shares that matter
_HITS_CREST, _LOOKED_AT = 20.0, 1 << 22  # crest factor of hits, and samples that are looked at
LASTS = 0.5  # of the answer's, that the input lasts at most where all is as it should be
_NO_PHASE, _MUCH = 0.5, 0.3  # coherence below which phase is chance, and the share that is told
_STANDS, _REST = 0.02, 256  # of the peak, and samples before a tap that tell where a channel rests


def about_hits(
    between: FrfSettings,
    signal: Signal,
    force: Array,
    answers: list[Array],
    used: list[Tap],
    response: Response,
) -> list[tuple[str, str]]:
    """What taps with a hammer may have spoiled, as (code, sentence)."""
    told, own = [], between.reference
    left = max((_left(one, used, response.frame, response) for one in answers), default=0.0)
    if left > _LEFT:
        told.append(
            (
                "decay-cut",
                (
                    f"{100 * left:.2g} % of the decay are left at the end of the frames: "
                    f"damping is read "
                    "too high. Choose longer frames, or an exponential whose damping is taken off."
                ),
            )
        )
    if response.decay and (off := max(_offset(one, used) for one in answers)) > _STANDS:
        told.append(
            (
                "offset-under-exponential",
                (
                    f"An answer stands {100 * off:.2g} % of its peak elsewhere after the taps "
                    f"than before "
                    "them: under the exponential that is read as a slow mode. Remove the drift "
                    "first."
                ),
            )
        )
    reaches = hammer_reaches(response, _HAMMER_DB)
    if between.high > reaches:
        told.append(
            (
                "hammer-weak",
                (
                    f"The hammer reaches {reaches:.0f} Hz (−{_HAMMER_DB:.0f} dB): up to "
                    f"{between.high:.0f} Hz little of the answer is its doing."
                ),
            )
        )
    spans = [lasts(one, used) for one in (force, *answers)]
    if used and own is not None and spans[0] * LASTS > max(spans[1:]):
        names = signal.channels
        told.append(
            (
                "swapped",
                (
                    f"{names[own].name} lasts longer than what it is to cause: reference and "
                    "answer may be swapped."
                ),
            )
        )
    return told


def _left(answer: Array, used: list[Tap], frame: int, response: Response) -> float:
    """What is left of decays at the end of their frames, under the exponential."""
    shares = []
    for tap in used:
        stop = min(tap.onset + frame, tap.until, len(answer))
        part = np.abs(answer[tap.onset : stop] - np.median(answer[max(0, tap.onset - 64) : stop]))
        if len(part) < 64:
            continue
        n = max(8, len(part) // 20)
        last = float(np.sqrt((part[-n:] ** 2).mean()))
        before = answer[max(0, tap.onset - n) : tap.onset]
        noise = float(before.std()) if len(before) > 8 else 0.0
        fallen = math.exp(-len(part) / response.fs / response.decay) if response.decay else 1.0
        shares.append(math.sqrt(max(last**2 - noise**2, 0.0)) * fallen / max(part.max(), 1e-300))
    return float(np.median(shares)) if shares else 0.0


def _offset(answer: Array, used: list[Tap]) -> float:
    """How far an answer stands off at the end of taps from where it stood before them, over the
    peak; the median."""
    values = []
    for tap in used:
        part = answer[tap.onset : tap.until]
        before = answer[max(0, tap.onset - _REST) : tap.onset]
        if len(part) > 4 * _REST and len(before) >= _REST // 2:
            peak = float(np.abs(part - np.median(before)).max())
            off = float(part[-len(part) // 8 :].mean() - np.median(before))
            values.append(abs(off) / max(peak, 1e-300))
    return float(np.median(values)) if values else 0.0


def lasts(x: Array, used: list[Tap]) -> float:
    """Samples from 5 to 90 % of a tap's energy, the median."""
    values = []
    for tap in used:
        part = x[max(0, tap.onset - 16) : tap.until]
        energy = np.cumsum((part - np.median(part)) ** 2)
        if energy[-1] > 0:
            low, high = np.searchsorted(energy, (0.05 * energy[-1], 0.9 * energy[-1]))
            values.append(float(high - low))
    return float(np.median(values)) if values else 0.0


def about_frames(read: Read, length: int, taper: str) -> list[tuple[str, str]]:
    """What runs is tapered; a hit must not be."""
    x = read(0, min(length, _LOOKED_AT))
    rms = float(np.sqrt(np.mean((x - np.median(x)) ** 2)))
    crest = float(np.abs(x - np.median(x)).max()) / max(rms, 1e-300)
    if crest < _HITS_CREST or taper == "rectangular":
        return []
    return [
        (
            "window-on-hits",
            (
                f"The reference looks like hits (crest factor {crest:.0f}), and {taper} tapers "
                f"them: "
                "levels and damping are wrong whatever the coherence says. Have frames at taps."
            ),
        )
    ]


def linearity(
    between: FrfSettings,
    response: Response,
    modes: Modes,
    taps: tuple[Tap, ...],
    halves: tuple[Response, ...],
    power: int,
) -> list[tuple[str, str]]:
    """Whether the loud half of the taps tells the same modes as the soft half."""
    if len(halves) < 2 or not modes.modes:
        return []
    heard = between.reference is None
    soft, loud = (
        find_modes(
            one,
            between.low,
            between.high,
            power=power,
            highest=between.order,
            groups=len(one.taps) if heard else 0,
        ).modes
        for one in halves
    )
    told = []
    for mode in modes.modes:
        near = [
            min(some, key=lambda one: abs(one.frequency - mode.frequency), default=None)
            for some in (soft, loud)
        ]
        a, b = near
        if a is None or b is None:
            continue
        apart = abs(b.frequency - a.frequency)
        if apart > mode.damping * mode.frequency:  # another mode
            continue
        sure_f = _SURE * math.hypot(a.frequency_std, b.frequency_std)
        sure_d = _SURE * math.hypot(a.damping_std, b.damping_std)
        moves = apart > max(sure_f, _MATTERS_F * mode.frequency)
        damps = abs(b.damping - a.damping) > max(sure_d, _MATTERS_D * mode.damping)
        if moves or damps:
            told.append(
                (
                    "not-linear",
                    (
                        f"The mode at {mode.frequency:.4g} Hz is at {a.frequency:.5g} Hz with "
                        f"{100 * a.damping:.3g} % for soft taps, at {b.frequency:.5g} Hz with "
                        f"{100 * b.damping:.3g} % for hard ones: it depends on how hard it is hit."
                    ),
                )
            )
    return told


def about_modes(response: Response, modes: Modes) -> list[tuple[str, str]]:
    """Where coherence, phase or the fit itself leave doubts, as (code, sentence)."""
    told = []
    if response.coherence is not None:
        for one in modes.modes:
            at = int(np.argmin(np.abs(response.frequency - one.frequency)))
            least = float(response.coherence[:, max(0, at - 1) : at + 2].max(axis=1).min())
            if least < _LITTLE:
                told.append(
                    (
                        "coherence-low",
                        (
                            f"At {one.frequency:.4g} Hz the coherence of one answer is only "
                            f"{least:.2f}: "
                            "its part of the mode is uncertain."
                        ),
                    )
                )
    if response.coherence is not None:
        inside = (response.frequency >= modes.low) & (response.frequency <= modes.high)
        unsure = float((response.coherence[:, inside] < _NO_PHASE).mean())
        if unsure > _MUCH:
            told.append(
                (
                    "phase-unsure",
                    (
                        f"In {100 * unsure:.0f} % of the range the coherence is below "
                        f"{_NO_PHASE}: phase "
                        "tells nothing there."
                    ),
                )
            )
    if modes.misfit > 2:
        told.append(
            (
                "misfit",
                (
                    f"The modes miss the curves by {modes.misfit:.1f} times what the averages "
                    f"allow: "
                    "the intervals are widened by that."
                ),
            )
        )
    return told
