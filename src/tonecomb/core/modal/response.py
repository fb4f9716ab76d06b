"""Transfer functions between a reference and what answers it.

J. S. Bendat, A. G. Piersol, "Random Data" (4th ed. 2010), chapters 6 and 9: with Gxx, Gyy, Gxy the
averaged spectra, H1 = Gxy/Gxx (noise at the output averages out), H2 = Gyy/Gyx (noise at the input
does), Hv their geometric mean with the phase of Gxy; coherence γ² = |Gxy|²/(Gxx·Gyy).

Hits are never tapered by a window that begins at zero. The same exponential, from the onset on,
multiplies reference and answers: what is seen is then H(iω + 1/τ), exactly, whose poles have 1/τ
too much damping, which is taken off them afterwards.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.framing import effective_averages, make_framing
from tonecomb.core.estimate.spectrum import detrended, frames_of, read_frames
from tonecomb.core.method.frf_settings import Estimator
from tonecomb.core.modal.impacts import Tap
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window

Complex = NDArray[np.complex128]
_PULSE_ROOM = 3.0  # times the pulse's width after it, that the force window lets through
_PULSE_FADE = 2.0  # times it, over which it fades
_READ = 1 << 18  # samples read at once


@dataclass(frozen=True, eq=False)
class Response:
    """``h`` of shape (answers, bins) at ``frequency`` (bins,) in Hz, in the answers' units over the
    reference's. ``coherence`` (answers, bins) is None below two averages; ``variance`` (answers,
    bins) is E|δH|². ``averages`` m is what the frames are worth as independent ones; ``input`` and
    ``noise`` are the reference's mean energy |X|² and the part of the answers' that is not its
    doing, in the transform's square. ``decay`` is the time constant (s) of the exponential that is
    still in it, 0 for none."""

    frequency: Array
    h: Complex
    coherence: Array | None
    variance: Array
    averages: float
    input: Array
    frame: int
    fs: float
    estimator: Estimator
    decay: float = 0.0
    taps: tuple[int, ...] = ()
    alike: float = 1.0
    """How many bins noise is alike in, on average: an exponential, or zeros behind what was cut,
    smooth it."""

    @property
    def floor(self) -> float:
        """Coherence that nothing in common has on average: 1/m."""
        return 1 / self.averages

    def disc(self, probability: float = 0.95) -> Array:
        """Radius of the disc about ``h`` that holds the expectation of H1 with ``probability``,
        shape (answers, bins): r² = 2/(2m−2)·F(2, 2m−2)·(1−γ²)·Gyy/Gxx (Bendat and Piersol 9.2);
        nan below two averages."""
        if self.coherence is None:
            return np.full(self.h.shape, math.nan)
        from scipy.special import fdtri

        dof = 2 * self.averages - 2
        return np.asarray(np.sqrt(fdtri(2, dof, probability) * self.variance))

    def over(self, power: int) -> Complex:
        """``h`` times (iω)^power: what another of displacement, velocity and acceleration is. With
        an exponential in it, s = iω + 1/τ. At DC, divided by zero, it is nan."""
        s = 2j * np.pi * self.frequency + (1 / self.decay if self.decay else 0.0)
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(self.h * s**power)


def of_taps(
    force: Array,
    answers: Sequence[Array],
    fs: float,
    taps: Sequence[Tap],
    frame: int,
    *,
    before: float = 0.01,
    decay: float = 0.0,
    estimator: Estimator = "h1",
    force_window: bool = True,
) -> Response:
    """From hits: frames of ``frame`` samples begin ``before`` s ahead of each tap and end before
    the next; what a frame has no samples for is zero. ``decay`` is the exponential's time constant
    in s. Means are those of what is before the onset."""
    lead = max(1, round(before * fs))
    used = [tap for tap in taps if tap.onset >= lead]
    if not used:
        raise UserError(
            "There is no tap to average", remedy="take some back, or lower what is asked of one"
        )
    x = np.zeros((len(used), frame))
    y = np.zeros((len(used), len(answers), frame))
    smoothness: list[float] = []
    for k, tap in enumerate(used):
        start = tap.onset - lead
        stop = min(start + frame, tap.until - lead, len(force))
        weights = _exponential(stop - start, lead, decay * fs)
        pulse = _pulse(stop - start, lead, tap.width * fs) if force_window else 1.0
        here = force[start:stop] - force[start : tap.onset].mean()
        x[k, : stop - start] = here * weights * pulse
        smoothness.append(alike_bins(weights, frame))
        for i, answer in enumerate(answers):
            here = answer[start:stop] - answer[start : tap.onset].mean()
            y[k, i, : stop - start] = here * weights
    from scipy.fft import rfft

    bins_x, bins_y = rfft(x, axis=1), rfft(y, axis=2)
    sums = _Sums(len(answers), frame // 2 + 1)
    sums.add(bins_x, bins_y)
    response = sums.response(
        frame, fs, estimator, float(len(used)), decay, tuple(tap.number for tap in used)
    )
    return replace(response, alike=float(np.mean(smoothness)))


def of_frames(
    reads: Sequence[Read],
    length: int,
    fs: float,
    frame: int,
    *,
    overlap: float = 50.0,
    taper: str = "hann",
    estimator: Estimator = "h1",
    progress: Progress = silent,
) -> Response:
    """From what runs: the first of ``reads`` is the reference, the others answer; each gives
    ``length`` samples from their stretch's start."""
    framing = make_framing(length, frame, overlap, fs)
    weights = window(taper).samples(frame)
    from scipy.fft import rfft

    sums, done = _Sums(len(reads) - 1, frame // 2 + 1), 0
    for numbers in framing.blocks(_READ):
        every = (frames_of(read_frames(read, framing, numbers, fs), framing) for read in reads)
        bins = [rfft(detrended(one, "mean", weights) * weights, axis=1) for one in every]
        sums.add(bins[0], np.stack(bins[1:], axis=1))
        done += len(numbers)
        progress(done / framing.count)
    return sums.response(frame, fs, estimator, effective_averages(framing, taper))


class _Sums:
    """Sums of squares and cross products over frames."""

    def __init__(self, answers: int, bins: int) -> None:
        self.xx = np.zeros(bins)
        self.yy = np.zeros((answers, bins))
        self.xy = np.zeros((answers, bins), np.complex128)
        self.count = 0

    def add(self, x: Complex, y: Complex) -> None:
        """Of frames x (frames, bins), y (frames, answers, bins)."""
        self.xx += (np.abs(x) ** 2).sum(axis=0)
        self.yy += (np.abs(y) ** 2).sum(axis=0)
        self.xy += (x.conj()[:, None, :] * y).sum(axis=0)
        self.count += len(x)

    def response(
        self,
        frame: int,
        fs: float,
        estimator: Estimator,
        averages: float,
        decay: float = 0.0,
        taps: tuple[int, ...] = (),
    ) -> Response:
        xx, yy = np.maximum(self.xx, 1e-300), np.maximum(self.yy, 1e-300)
        # Roots first: the product of two squares of small numbers would be none.
        common = np.clip((np.abs(self.xy) / (np.sqrt(xx) * np.sqrt(yy))) ** 2, 0.0, 1.0)
        h1 = self.xy / xx
        with np.errstate(divide="ignore", invalid="ignore"):
            if estimator == "h1":
                h = h1
            elif estimator == "h2":
                h = np.where(np.abs(self.xy) > 0, yy / self.xy.conj(), 0)
            else:
                h = np.sqrt(yy / xx) * np.exp(1j * np.angle(self.xy))
        several = averages > 1.5
        # E|δH1|² = (1−γ²)/(m−1)·Gyy/Gxx: the residual has m−1 degrees of freedom.
        variance = (1 - common) * yy / xx / max(averages - 1, 1e-9)
        if not several:
            variance = np.full(h.shape, math.nan)
        return Response(
            np.arange(frame // 2 + 1) * fs / frame,
            h,
            common if several else None,
            variance,
            averages,
            xx / self.count,
            frame,
            fs,
            estimator,
            decay,
            taps,
        )


def _exponential(count: int, lead: int, tau: float) -> Array:
    """One up to the onset, then e^(−t/τ), ``tau`` in samples; ones for 0."""
    if tau <= 0:
        return np.ones(count)
    return np.asarray(np.exp(-np.maximum(np.arange(count) - lead, 0) / tau))


def _pulse(count: int, lead: int, width: float) -> Array:
    """The force window: the pulse and a few of its widths, then nothing."""
    wide = max(2.0, width if width == width else 2.0)
    after = (np.arange(count) - lead) - wide * (1 + _PULSE_ROOM)
    fade = np.clip(after / (_PULSE_FADE * wide), 0.0, 1.0)
    return np.asarray(0.5 + 0.5 * np.cos(np.pi * fade))


def alike_bins(weights: Array, frame: int) -> float:
    """Of white noise under ``weights``, followed by zeros up to ``frame`` samples, how many bins
    of its transform are alike: N·Σw⁴/(Σw²)²."""
    square = weights**2
    return frame * float((square**2).sum()) / float(square.sum()) ** 2


def usual_frame(taps: Sequence[Tap], fs: float, before: float = 0.01) -> int:
    """The longest power of two of samples that no second tap is in, for most of them."""
    lead = round(before * fs)
    rooms = sorted(tap.until - tap.onset + lead for tap in taps)
    if not rooms:
        return 2
    room = rooms[len(rooms) // 4]
    return 1 << max(1, int(math.log2(max(room, 2))))


def hammer_reaches(response: Response, down_db: float = 10.0) -> float:
    """The frequency (Hz) up to which the reference's spectrum stays within ``down_db`` of its
    highest."""
    level = response.input
    below = np.flatnonzero(level < float(level.max()) * 10 ** (-down_db / 10))
    after = below[below > int(np.argmax(level))]
    at = after[0] if len(after) else len(level) - 1
    return float(response.frequency[at])


def tails(response_frames: Iterator[Array]) -> float:
    """Energy of the last twentieth of frames over that of all, as an amplitude ratio."""
    last = total = 0.0
    for frame in response_frames:
        n = max(1, len(frame) // 20)
        last += float((frame[-n:] ** 2).sum()) * 20
        total += float((frame**2).sum())
    return math.sqrt(last / total) if total else 0.0
