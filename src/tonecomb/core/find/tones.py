"""Frequency, amplitude and phase of tones, at continuous frequency and all at once.

Weighted nonlinear least squares with the window as weight. The model of a frame is a constant
and, for each tone, a cosine and a sine with a frequency common to all frames and amplitudes of
the frame's own, so that images at −f and neighbours are part of the fit; Gauss–Newton steps
with the amplitudes eliminated (variable projection: Golub and Pereyra, SIAM J. Numer. Anal. 10
(1973) 413–432). Where the phase proves steady from frame to frame, its slope refines the
frequency to what the whole stretch can give. Standard deviations follow from the noise density
at the tone, as the Cramér–Rao bound does (Rife and Boorstyn, IEEE Trans. Inf. Theory IT-20
(1974) 591–598), inflated by the window.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from contextlib import nullcontext
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import frames_of, read_frames
from tonecomb.core.estimate.windows import Window, window
from tonecomb.core.find.tone import Amplitude, Complex, Course, Information, Tone, tone_of
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.record.recording import Array
from tonecomb.core.spread import Read, Tell, spread

Numbers = NDArray[np.int_]

_SUBSET = 24  # frames on which the first steps are made
_STEPS = 6  # most steps on those
_COLUMNS_BYTES = 48 << 20  # the weighted model is kept whole up to this size
_ROWS = 1 << 13  # samples of a frame handled at once beyond it
_READ_SAMPLES = 1 << 20  # samples read at once, so that large models are built seldom
_SETTLED = 0.02  # what is left to go, as a share of the standard deviation, at the last step
_TOGETHER = 4  # frames that are multiplied at once at least
_COLUMNS_AGAIN = 4 << 20  # bytes of columns, up to which they are read more than once
_APART = 4  # bins between tones above which one does not pull the other
_SLOW, _SLOWEST = 0.1, 0.95  # steps that shrink so, from one to the next, do it evenly
_PULL = 4  # what noise pulls, as so many standard deviations


class _Scratch:
    """Memory and windows that the models of one fit share, so that none is made twice."""

    def __init__(self, length: int, tones: int) -> None:
        width = 1 + 4 * tones
        self.length = length
        self.rows = length if length * width * 8 <= _COLUMNS_BYTES else _ROWS
        self.columns = np.empty((width, self.rows))
        self._weights: dict[str, Array] = {}

    def weights(self, taper: Window) -> Array:
        """Samples of a window."""
        if taper.name not in self._weights:
            self._weights[taper.name] = taper.samples(self.length)
        return self._weights[taper.name]


class _Model:
    """A frame's model for given angular frequencies (radians per sample), weighted by a window.

    Its columns are a constant, cosines, sines; then time × cosines and time × sines, with time
    from the frame's centre N/2. The inner products of the columns are known in closed form.
    """

    def __init__(self, taper: Window, scratch: _Scratch, omega: Array, *, slopes: bool) -> None:
        self.taper, self.omega, self.slopes, self.scratch = taper, omega, slopes, scratch
        length = scratch.length
        self.weights = scratch.weights(taper)
        self.width = 1 + (4 if slopes else 2) * len(omega)
        self.base = 1 + 2 * len(omega)
        self.kept = self._columns(0) if scratch.rows == length else None
        frequencies = np.concatenate([[0.0], omega])
        pairs = np.stack([frequencies[:, None] + frequencies, frequencies[:, None] - frequencies])
        cosines = 1 + len(omega)
        blocks = np.empty((3, self.base, self.base))
        for block, (plus, minus) in zip(
            blocks, transforms(taper.terms, length, pairs), strict=True
        ):
            # cos·cos, cos·sin and sin·sin by their sums and differences.
            block[:cosines, :cosines] = (plus + minus).real / 2
            block[cosines:, cosines:] = (minus - plus).real[1:, 1:] / 2
            mixed = (plus - minus).imag[:, 1:] / 2
            block[:cosines, cosines:], block[cosines:, :cosines] = mixed, mixed.T
        self.gram, self.cross, self.second = blocks[0], blocks[1][:, 1:], blocks[2][1:, 1:]
        self.inverse = _inverse(self.gram)

    def _columns(self, start: int) -> Array:
        """Weighted columns for the samples from ``start`` on, shape (columns, samples). They
        lie in the scratch memory: good until the next call."""
        stop = min(start + self.scratch.rows, self.scratch.length)
        time = np.arange(start, stop) - self.scratch.length / 2
        tones, out = len(self.omega), self.scratch.columns[: self.width, : stop - start]
        # e^(−iωt) as the product of a coarse and a fine table: one sine for 256 samples.
        coarse = np.exp(-1j * np.outer(self.omega, time[::256]))
        fine = np.exp(-1j * np.outer(self.omega, np.arange(256)))
        turning = (coarse[:, :, None] * fine[:, None, :]).reshape(tones, -1)[:, : len(time)]
        weights = self.weights[start:stop]
        out[0] = weights
        np.multiply(turning.real, weights, out=out[1 : 1 + tones])
        np.multiply(turning.imag, -weights, out=out[1 + tones : self.base])
        if self.slopes:
            np.multiply(out[1 : self.base], time, out=out[self.base :])
        return out

    def products(self, frames: Array) -> Array:
        """Σ w·column·x for each frame and column, shape (frames, columns)."""
        if self.kept is not None:
            return _products(frames, self.kept)
        rows = self.scratch.rows
        total = np.zeros((len(frames), self.width))
        for start in range(0, self.scratch.length, rows):
            part_of_each = np.ascontiguousarray(frames[:, start : start + rows])
            total += part_of_each @ self._columns(start).T
        return total

    def amplitudes(self, beta: Array) -> Complex:
        """Complex peak amplitudes a − ib about each frame's centre, shape (frames, tones)."""
        tones = len(self.omega)
        return np.asarray(beta[:, 1 : 1 + tones] - 1j * beta[:, 1 + tones : self.base])

    def step(self, products: Array) -> tuple[Array, Complex]:
        """One Gauss–Newton step of the common frequencies (radians per sample, shape (tones,)),
        and the frames' complex amplitudes after it."""
        tones, base = len(self.omega), self.base
        beta = products[:, :base] @ self.inverse
        # d(model)/dω = time·(−a·sin + b·cos): weights of the time columns, cosines first.
        a, b = beta[:, 1 : 1 + tones], beta[:, 1 + tones :]
        weight = np.stack([b, -a], axis=1)  # (frames, 2, tones)
        residual = products[:, base:] - beta @ self.cross
        gradient = np.einsum("kjp,kjp->p", weight, residual.reshape(len(beta), 2, tones))
        schur = self.second - self.cross.T @ self.inverse @ self.cross
        flat = weight.reshape(len(beta), 2 * tones)
        both = (flat.T @ flat) * schur
        hessian = both.reshape(2, tones, 2, tones).sum(axis=(0, 2))
        scale = np.sqrt(np.maximum(np.diag(hessian), np.finfo(float).tiny))
        scaled = hessian / np.outer(scale, scale)
        delta = np.linalg.lstsq(scaled, gradient / scale, rcond=1e-10)[0] / scale
        moved = flat * np.tile(delta, 2)
        return delta, self.amplitudes(beta - moved @ self.cross.T @ self.inverse)


def _products(frames: Array, columns: Array) -> Array:
    """Of each frame, shape (frames, samples), with each column, shape (columns, samples). Those
    that do not overlap are multiplied where they lie, for together they would be copied first;
    unless there are so many columns that to read them again takes longer."""
    step = -(-frames.shape[1] * frames.itemsize // max(frames.strides[0], 1))
    if not 1 < step <= len(frames) // _TOGETHER or columns.nbytes > _COLUMNS_AGAIN:
        return np.asarray(np.ascontiguousarray(frames) @ columns.T)
    found = np.empty((len(frames), len(columns)))
    for first in range(step):
        np.matmul(frames[first::step], columns.T, out=found[first::step])
    return found


def _inverse(gram: Array) -> Array:
    """Of a symmetric matrix; what it does not tell apart counts nothing."""
    sizes, axes = np.linalg.eigh(gram)
    told = sizes > 1e-12 * sizes[-1]
    return np.asarray((axes[:, told] / sizes[told]) @ axes[:, told].T)


def transforms(
    terms: tuple[float, ...], length: int, nu: Array
) -> tuple[Complex, Complex, Complex]:
    """Σ w(n) tʲ e^(iνt) for j = 0, 1, 2, with t = n − N/2 and a cosine-sum window's ``terms``.

    ``nu`` in radians per sample, any shape. From the Dirichlet kernel and its derivatives.
    """
    several = len(terms) - 1
    shifts = np.arange(-several, several + 1)
    shares = np.array([terms[abs(k)] / (2 if k else 1) for k in shifts])
    moved = np.asarray(nu) + (2 * np.pi / length * shifts).reshape(-1, *[1] * np.ndim(nu))
    zero, one, two = (
        (shares @ value.reshape(len(shares), -1)).reshape(value.shape[1:])
        for value in _dirichlet(length, moved)
    )
    return zero, one, two


def _dirichlet(n: int, nu: Array) -> tuple[Complex, Complex, Complex]:
    """Σ tʲ e^(iνt) over t = −N/2 … N/2−1 for j = 0, 1, 2."""
    turns = np.round(nu / (2 * np.pi))
    sign = np.where((turns * n) % 2 == 0, 1.0, -1.0)
    h = (nu - 2 * np.pi * turns) / 2
    small = np.abs(n * h) < 1e-2
    sine, cosine = np.where(small, 1.0, np.sin(h)), np.cos(h)
    # S = sin(Nh)/sin(h) and its derivatives, by its power series near zero.
    s = np.sin(n * h) / sine
    s1 = (n * np.cos(n * h) - s * cosine) / sine
    s2 = (-(n**2) * np.sin(n * h) + s * sine - 2 * s1 * cosine) / sine
    c2, c4 = n * (n**2 - 1) / 6, n * (3 * n**4 - 10 * n**2 + 7) / 360
    s = np.where(small, n - c2 * h**2 + c4 * h**4, s)
    s1 = np.where(small, -2 * c2 * h + 4 * c4 * h**3, s1)
    s2 = np.where(small, -2 * c2 + 12 * c4 * h**2, s2)
    turn = sign * np.exp(-1j * h)
    return (
        turn * s,
        -0.5j * turn * (s1 - 1j * s),
        -0.25 * turn * (s2 - 2j * s1 - s),
    )


@dataclass(frozen=True, eq=False)
class _Products:
    """Products of frames with a model's columns. Elsewhere the model is made anew."""

    model: _Model
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
        return _products_anew, (model.taper, model.scratch.length, model.omega, model.slopes,
                                self.framing, self.fs)  # fmt: skip


def _products_anew(
    taper: Window, length: int, omega: Array, slopes: bool, framing: Framing, fs: float
) -> _Products:
    model = _Model(taper, _Scratch(length, len(omega)), omega, slopes=slopes)
    return _Products(model, framing, fs)


class _Frames:
    """So many of the frames that take part, few enough to be kept."""

    def __init__(self, read: Read, framing: Framing, fs: float, numbers: Numbers) -> None:
        self._read, self._framing, self._fs = read, framing, fs
        self._places = framing.numbers[numbers].tolist()
        self._at_once = max(1, _READ_SAMPLES // framing.frame)
        self._kept: list[Array] = []

    def products(self, model: _Model, progress: Progress) -> Array:
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
        found = np.stack([
            np.asarray(read_frames(self._read, framing, range(k, k + 1), self._fs), dtype=float)
            for k in places
        ])  # fmt: skip
        if len(places) == len(self._places):
            self._kept.append(found)
        return found


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


def fit_tones(
    read: Read,
    framing: Framing,
    fs: float,
    taper: Window,
    frequencies: Array,
    floor: Array,
    *,
    progress: Progress = silent,
) -> list[Tone]:
    """Fit tones that start near ``frequencies`` (Hz), jointly, over all frames.

    ``floor`` is the noise's mean square per bin (with ``taper``'s bandwidth) at each tone, in
    unit². A window with negative values cannot weigh the fit: the frequencies then come from a
    Hann window and only the amplitudes from ``taper``. Under a window that is no sum of cosines
    the amplitudes come from the Hann window too. Costs one pass over the stretch and a few over
    a small part of it; two with a window that has negative values.
    """
    if len(frequencies) == 0:
        return []
    n = framing.frame
    fitting = taper if taper.weighs else window("hann")
    start = 2 * np.pi * np.asarray(frequencies, dtype=np.float64) / fs
    limit = 0.75 * 2 * np.pi / n
    information = Information(framing, fitting)
    scratch = _Scratch(n, len(start))
    some = framing.count > _SUBSET
    few = _Frames(read, framing, fs, _few(framing.count))

    def all_products(model: _Model, report: Progress) -> Array:
        if not some:
            return few.products(model, report)
        work = _Products(model, framing, fs)
        return spread(read, work, framing.count, framing.cost, report)

    def improve(
        omega: Array, products: Callable[[_Model, Progress], Array], report: Progress
    ) -> tuple[Array, Complex]:
        model = _Model(fitting, scratch, omega, slopes=True)
        step, c = model.step(products(model, report))
        return start + np.clip(omega + step - start, -limit, limit), c

    apart = _apart(start) > _APART * 2 * np.pi / n
    omega, density = start, np.asarray(floor) / taper.enbw
    size = np.full(len(start), np.inf)
    for i in range(_STEPS):
        report = part(progress, 0.3 * i / _STEPS, 0.3 * (i + 1) / _STEPS)
        before = omega
        omega, phasors = improve(omega, few.products, report)
        power = np.mean(np.abs(phasors) ** 2, axis=0)
        std = np.sqrt(information.loose * density * n / np.maximum(power, np.finfo(float).tiny))
        # The last digits of the arithmetic are enough where there is no noise.
        size, last = np.abs(omega - before), size
        left = _left(size, last, np.where(apart, std, np.inf), n)
        if np.all(left < np.maximum(_SETTLED * std, 1e-14)):
            break
    if some:
        omega, phasors = improve(omega, all_products, part(progress, 0.3, 0.7))
    levels, measured = phasors, taper if taper.terms else fitting
    if fitting is not measured:
        model = _Model(measured, scratch, omega, slopes=False)
        products = all_products(model, part(progress, 0.7, 1.0))
        levels = model.amplitudes(products @ model.inverse)
    tones = []
    for p in range(len(omega)):
        course = Course.of(phasors[:, p], omega[p], float(density[p]), framing, information)
        level = Amplitude.of(levels[:, p], course.density * measured.enbw, framing, measured)
        tones.append(tone_of(course, level, framing, fs, information))
    return tones
