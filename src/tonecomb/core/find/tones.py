"""Frequency, amplitude and phase of tones, at continuous frequency and all at once.

Weighted nonlinear least squares with the window as weight (:mod:`tone_model`). Where the phase
proves steady from frame to frame, its slope refines the frequency to what the whole stretch can
give. Standard deviations follow from the noise density at the tone, as the Cramér–Rao bound does
(Rife and Boorstyn, IEEE Trans. Inf. Theory IT-20 (1974) 591–598), inflated by the window.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from contextlib import nullcontext
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.frame_statistics import Courses
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import frames_of, read_frames
from tonecomb.core.find.bin_model import ENOUGH, line_model
from tonecomb.core.find.tone import Amplitude, Complex, Course, Information, Tone, tone_of
from tonecomb.core.find.tone_model import SampleModel, Scratch
from tonecomb.core.record.parallel import Read, Tell, spread
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window, window

Numbers = NDArray[np.int_]

_SUBSET = 24  # frames on which the first steps are made
_STEPS = 6  # most steps on those
_READ_SAMPLES = 1 << 20  # samples read at once, so that large models are built seldom
_SETTLED = 0.02  # what is left to go, as a share of the standard deviation, at the last step
_APART = 4  # bins between tones above which one does not pull the other
_SLOW, _SLOWEST = 0.1, 0.95  # steps that shrink so, from one to the next, do it evenly
_PULL = 4  # what noise pulls, as so many standard deviations


@dataclass(frozen=True, eq=False)
class _Products:
    """Products of frames with a model's columns. Elsewhere the model is made anew."""

    model: SampleModel
    framing: Framing
    fs: float
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> Array:
        result = []
        for numbers in self.framing.blocks(_READ_SAMPLES, first, last):
            frames = frames_of(read_frames(read, self.framing, numbers, self.fs), self.framing)
            # A model that is too large to be kept is made piece by piece in memory of its own.
            with nullcontext() if self.model.kept is not None else self._lock:
                result.append(self.model.products(frames))
            tell(len(numbers))
        return np.concatenate(result)

    def join(self, parts: Iterable[Array]) -> Array:
        return np.concatenate(list(parts))

    def __reduce__(self) -> Any:
        model = self.model
        return _products_anew, (
            model.taper,
            model.scratch.length,
            model.omega,
            model.slopes,
            self.framing,
            self.fs,
        )


def _products_anew(
    taper: Window, length: int, omega: Array, slopes: bool, framing: Framing, fs: float
) -> _Products:
    model = SampleModel(taper, Scratch(length, len(omega)), omega, slopes=slopes)
    return _Products(model, framing, fs)


class _Frames:
    """So many of the frames that take part, few enough to be kept."""

    def __init__(self, read: Read, framing: Framing, fs: float, numbers: Numbers) -> None:
        self._read, self._framing, self._fs = read, framing, fs
        self._places = framing.numbers[numbers].tolist()
        self._at_once = max(1, _READ_SAMPLES // framing.frame)
        self._kept: list[Array] = []

    def products(self, model: SampleModel, progress: Progress) -> Array:
        """Of each, shape (frames, columns)."""
        result = []
        for at in range(0, len(self._places), self._at_once):
            result.append(model.products(self._some(at)))
            progress(min(1.0, (at + self._at_once) / len(self._places)))
        return np.concatenate(result)

    def _some(self, at: int) -> Array:
        if self._kept:
            return self._kept[0]
        framing, places = self._framing, self._places[at : at + self._at_once]
        values = np.empty((len(places), framing.frame))
        for own, k in zip(values, places, strict=True):
            own[:] = read_frames(self._read, framing, range(k, k + 1), self._fs)
        if len(places) == len(self._places):
            self._kept.append(values)
        return values


def _few(count: int) -> Numbers:
    """Which frames of so many the first steps are made on."""
    return np.unique(np.linspace(0, count - 1, min(count, _SUBSET)).astype(int))


def _apart(omega: Array) -> Array:
    """Distance of each tone from the next, infinite where there is none."""
    if len(omega) < 2:
        return np.full(len(omega), np.inf)
    order = np.argsort(omega)
    gaps = np.concatenate([[np.inf], np.diff(omega[order]), [np.inf]])
    out = np.empty(len(omega))
    out[order] = np.minimum(gaps[:-1], gaps[1:])
    return out


def _left(size: Array, last: Array, pull: Array, frame: int) -> Array:
    """About how far a tone still has to go after a step of this size and the ``last`` one, all in
    radians per sample. It comes nearer by the square of its distance in bins, or by what noise
    (of this standard deviation) pulls, where a frame is one tone and noise; else as it did. What
    a neighbour pulls, without end, goes as it may."""
    rate = np.minimum(size / np.maximum(last, np.finfo(float).tiny), _SLOWEST)
    rate = np.where(np.isinf(last), 0.5, rate)  # of the first step nothing is known
    slower = size * np.where(rate < _SLOW, rate**2, rate / (1 - rate))
    nearer = size * np.minimum((size + _PULL * pull) * frame / (2 * np.pi), 1.0)
    return np.maximum(slower, nearer)


def _settled(
    improve: Callable[[Array, Progress], tuple[Array, Complex]],
    start: Array,
    noise: Array,
    frame: int,
    progress: Progress,
) -> tuple[Array, Complex]:
    """Angular frequencies from ``start``, and the frames' complex amplitudes, after as many steps
    as it takes. ``noise`` is its density at each tone times what the frames leave uncertain."""
    apart = _apart(start) > _APART * 2 * np.pi / frame
    omega, size = start, np.full(len(start), np.inf)
    for i in range(_STEPS):
        before = omega
        omega, phasors = improve(omega, part(progress, i / _STEPS, (i + 1) / _STEPS))
        power = np.mean(np.abs(phasors) ** 2, axis=0)
        std = np.sqrt(noise * frame / np.maximum(power, np.finfo(float).tiny))
        # The last digits of the arithmetic are enough where there is no noise.
        size, last = np.abs(omega - before), size
        left = _left(size, last, np.where(apart, std, np.inf), frame)
        if np.all(left < np.maximum(_SETTLED * std, 1e-14)):
            break
    return omega, phasors


def fit_tones(
    read: Read,
    framing: Framing,
    fs: float,
    taper: Window,
    frequencies: Array,
    floor: Array,
    *,
    progress: Progress = silent,
    courses: Courses | None = None,
) -> list[Tone]:
    """Fit tones that start near ``frequencies`` (Hz), jointly, over all frames.

    ``floor`` is the noise's mean square per bin (with ``taper``'s bandwidth) at each tone, in
    unit². A window with negative values cannot weigh the fit: the frequencies then come from a
    Hann window and only the amplitudes from ``taper``. Under a window that is no sum of cosines
    the amplitudes come from the Hann window too. Costs one pass over the stretch and a few over
    a small part of it; two with a window that has negative values, and none with a Hann window
    where the lines of enough frames are known from their ``courses``.
    """
    if len(frequencies) == 0:
        return []
    n = framing.frame
    fitting = taper if taper.weighs else window("hann")
    start = 2 * np.pi * np.asarray(frequencies, dtype=np.float64) / fs
    limit = 0.75 * 2 * np.pi / n
    information = Information(framing, fitting)
    known = courses if taper.name == "hann" and framing.count >= ENOUGH else None
    scratch = Scratch(n, len(start), whole=known is None)
    some = framing.count > _SUBSET
    few = _Frames(read, framing, fs, _few(framing.count))

    def all_products(model: SampleModel, report: Progress) -> Array:
        if not some:
            return few.products(model, report)
        work = _Products(model, framing, fs)
        return spread(read, work, framing.count, framing.cost, report)

    def improve(
        omega: Array, report: Progress, products: Callable[[SampleModel, Progress], Array]
    ) -> tuple[Array, Complex]:
        model = SampleModel(fitting, scratch, omega, slopes=True)
        step, c = model.step(products(model, report))
        return start + np.clip(omega + step - start, -limit, limit), c

    density = np.asarray(floor) / taper.enbw
    steps = partial(improve, products=few.products)
    omega, phasors = _settled(steps, start, density * information.loose, n, part(progress, 0, 0.3))
    lines = line_model(known, omega)
    if lines is not None:
        step, phasors = lines.step(lines.products())
        omega = start + np.clip(omega + step - start, -limit, limit)
    elif some:
        scratch = Scratch(n, len(start))
        omega, phasors = improve(omega, part(progress, 0.3, 0.7), all_products)
    levels, measured = phasors, taper if taper.terms else fitting
    if fitting is not measured:
        model = SampleModel(measured, scratch, omega, slopes=False)
        products = all_products(model, part(progress, 0.7, 1.0))
        levels = model.amplitudes(products @ model.inverse)
    tones = []
    for p in range(len(omega)):
        course = Course.of(phasors[:, p], omega[p], float(density[p]), framing, information)
        level = Amplitude.of(levels[:, p], course.density * measured.enbw, framing, measured)
        tones.append(tone_of(course, level, framing, fs, information))
    return tones
