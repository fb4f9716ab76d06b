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

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.framing import Framing, effective_averages
from tonecomb.core.estimate.spectrum import Read, frames_of, read_frames
from tonecomb.core.estimate.windows import Window, window
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.record.recording import Array

Complex = NDArray[np.complex128]
Numbers = NDArray[np.int_]

_SUBSET = 24  # frames on which the first steps are made
_STEPS = 6  # most steps on those
_COLUMNS_BYTES = 48 << 20  # the weighted model is kept whole up to this size
_ROWS = 1 << 13  # samples of a frame handled at once beyond it
_READ_SAMPLES = 1 << 20  # samples read at once, so that large models are built seldom
_ENOUGH = 8  # independent frames from which their own scatter tells the noise
_SETTLED = 0.02  # a step below this share of the standard deviation is the last


@dataclass(frozen=True)
class Tone:
    """A tone in the stretch. Amplitude is the peak value in the channel's unit.

    ``phase_deg`` is of a cosine at the stretch's start; nan where the tone's phase wanders over
    the stretch. The ``_std`` values are standard deviations.
    """

    frequency: float
    frequency_std: float
    amplitude: float
    amplitude_std: float
    phase_deg: float
    phase_std_deg: float
    steady: bool


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
        self.omega, self.slopes, self.scratch = omega, slopes, scratch
        length = scratch.length
        self.weights = scratch.weights(taper)
        self.width = 1 + (4 if slopes else 2) * len(omega)
        self.base = 1 + 2 * len(omega)
        self.kept = self._columns(0) if scratch.rows == length else None
        frequencies = np.concatenate([[0.0], omega])
        sums = transforms(taper.terms, length, frequencies[:, None] + frequencies)
        differences = transforms(taper.terms, length, frequencies[:, None] - frequencies)
        blocks = []
        for plus, minus in zip(sums, differences, strict=True):
            # cos·cos, cos·sin and sin·sin by their sums and differences.
            cc, ss = (plus + minus).real / 2, (minus - plus).real / 2
            cs = (plus - minus).imag / 2
            blocks.append(np.block([[cc, cs[:, 1:]], [cs.T[1:], ss[1:, 1:]]]))
        self.gram, self.cross, self.second = blocks[0], blocks[1][:, 1:], blocks[2][1:, 1:]
        self.inverse = np.linalg.pinv(self.gram, rcond=1e-12, hermitian=True)

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
            return np.asarray(np.ascontiguousarray(frames) @ self.kept.T)
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
        moments = np.einsum("kip,kjq->ipjq", weight, weight, optimize=True)
        hessian = np.einsum("ipjq,ipjq->pq", moments, schur.reshape(2, tones, 2, tones))
        scale = np.sqrt(np.maximum(np.diag(hessian), np.finfo(float).tiny))
        scaled = hessian / np.outer(scale, scale)
        delta = np.linalg.lstsq(scaled, gradient / scale, rcond=1e-10)[0] / scale
        moved = (weight * delta).reshape(len(beta), 2 * tones)
        return delta, self.amplitudes(beta - moved @ self.cross.T @ self.inverse)


def transforms(
    terms: tuple[float, ...], length: int, nu: Array
) -> tuple[Complex, Complex, Complex]:
    """Σ w(n) tʲ e^(iνt) for j = 0, 1, 2, with t = n − N/2 and a cosine-sum window's ``terms``.

    ``nu`` in radians per sample, any shape. From the Dirichlet kernel and its derivatives.
    """
    total = [np.zeros(np.shape(nu), dtype=np.complex128) for _ in range(3)]
    for k, a in enumerate(terms):
        for shift in (-k, k) if k else (0,):
            share = a / 2 if k else a
            for j, value in enumerate(_dirichlet(length, nu + 2 * np.pi * shift / length)):
                total[j] += share * value
    return total[0], total[1], total[2]


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


def _all_products(
    model: _Model, read: Read, framing: Framing, numbers: Numbers, fs: float, progress: Progress
) -> Array:
    """Products for so many of the frames that take part, read in blocks."""
    if len(numbers) < framing.count:  # few frames, far apart
        blocks = [range(int(k), int(k) + 1) for k in framing.numbers[numbers]]
    else:
        blocks = list(framing.blocks(_READ_SAMPLES))
    result = []
    for done, block in enumerate(blocks, start=1):
        samples = read_frames(read, framing, block, fs)
        result.append(model.products(frames_of(samples, framing)))
        progress(done / len(blocks))
    return np.concatenate(result)


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
    information = _Information(framing, fitting)
    scratch = _Scratch(n, len(start))

    def improve(omega: Array, numbers: Numbers, report: Progress) -> tuple[Array, Complex]:
        model = _Model(fitting, scratch, omega, slopes=True)
        step, c = model.step(_all_products(model, read, framing, numbers, fs, report))
        return start + np.clip(omega + step - start, -limit, limit), c

    every = np.arange(framing.count)
    few = every
    if framing.count > _SUBSET:
        few = np.unique(np.linspace(0, framing.count - 1, _SUBSET).astype(int))
    omega, density = start, np.asarray(floor) / taper.enbw
    for i in range(_STEPS):
        report = part(progress, 0.3 * i / _STEPS, 0.3 * (i + 1) / _STEPS)
        before = omega
        omega, phasors = improve(omega, few, report)
        power = np.mean(np.abs(phasors) ** 2, axis=0)
        std = np.sqrt(information.loose * density * n / np.maximum(power, np.finfo(float).tiny))
        # The last digits of the arithmetic are enough where there is no noise.
        if np.all(np.abs(omega - before) < np.maximum(_SETTLED * std, 1e-14)):
            break
    if few is not every:
        omega, phasors = improve(omega, every, part(progress, 0.3, 0.7))
    levels, measured = phasors, taper if taper.terms else fitting
    if fitting is not measured:
        model = _Model(measured, scratch, omega, slopes=False)
        products = _all_products(model, read, framing, every, fs, part(progress, 0.7, 1.0))
        levels = model.amplitudes(products @ model.inverse)
    tones = []
    for p in range(len(omega)):
        course = _Course.of(phasors[:, p], omega[p], float(density[p]), framing, information)
        level = _Amplitude.of(levels[:, p], course.density * measured.enbw, framing, measured)
        tones.append(_tone(course, level, framing, fs, information))
    return tones


@dataclass(frozen=True)
class _Amplitude:
    """Peak amplitude from the mean power of the frames, less that of the noise."""

    value: float
    std: float

    @classmethod
    def of(cls, c: Complex, floor: float, framing: Framing, taper: Window) -> _Amplitude:
        noise = 2 * floor  # variance of a frame's complex amplitude
        power = float(np.mean(np.abs(c) ** 2))
        value = float(np.sqrt(max(power - noise, 0.25 * power)))
        averages = effective_averages(framing, taper.name, squared=False)
        tiny = float(np.finfo(float).tiny)
        variance = noise / (2 * averages) * (1 + noise / (2 * max(value**2, tiny)))
        return cls(value, float(np.sqrt(variance)))


class _Information:
    """What the frames together tell of frequency, for noise of variance σ² and amplitude A.

    A fit weighted by v(n) has var ω = 2σ²/A² · Σv²t² / (Σv t²)². For one frame v is the window
    w; for a steady tone it is the sum of the shifted windows, whose sums are taken here frame
    pair by frame pair.
    """

    def __init__(self, framing: Framing, taper: Window) -> None:
        w = taper.samples(framing.frame)
        tau = np.arange(framing.frame) - framing.frame / 2
        self.enbw, self.name = taper.enbw, taper.name
        self.sum, self.second = float(w.sum()), float(w @ tau**2)
        count, hop = framing.count, framing.hop
        middle_of_all = framing.numbers.mean()
        centre = (framing.numbers - middle_of_all) * hop
        self.spread = float(centre @ centre)
        single, joint, lags = 0.0, 0.0, range(0, framing.frame, hop)
        for m, lag in enumerate(lags):
            pairs = framing.pairs(m)
            if not len(pairs):
                continue
            first, second = w[lag:], w[: framing.frame - lag]
            t_first, t_second = tau[lag:], tau[: framing.frame - lag]
            product = first * second
            both = 1.0 if m == 0 else 2.0
            single += both * len(pairs) * float(product @ (t_first * t_second))
            middle = (pairs + m / 2 - middle_of_all) * hop
            halfway = 0.5 * (t_first + t_second)
            joint += both * float(
                len(pairs) * (product @ halfway**2) + product.sum() * (middle @ middle)
            )
        self.loose = single / (count * self.second) ** 2
        self.steady = joint / (count * self.second + self.sum * self.spread) ** 2
        # Weight of the phase slope across frames against the slopes within them.
        across = self.sum * self.spread
        self.across = across / (across + count * self.second)


@dataclass(frozen=True)
class _Course:
    """How a tone's complex amplitude runs through the frames, turned back by its frequency.

    ``omega`` is the frequency common to the frames, ``slope`` what the phase adds to it,
    ``mean`` the amplitude at the stretch's middle, ``density`` the mean square of the noise in
    a band of one frame bin.
    """

    omega: float
    slope: float
    mean: complex
    steady: bool
    density: float

    @classmethod
    def of(
        cls, c: Complex, omega: float, density: float, framing: Framing, information: _Information
    ) -> _Course:
        noise = 2 * density * information.enbw
        power = float(np.mean(np.abs(c) ** 2))
        signal = max(power - noise, 0.25 * power, float(np.finfo(float).tiny))
        reach = 6 * np.sqrt(density * framing.frame / signal * information.loose)
        middles = framing.frame / 2 + framing.numbers * framing.hop
        time: Array = np.asarray(middles - middles.mean(), dtype=np.float64)
        turned = c * np.exp(-1j * omega * middles)
        slope, mean, residual = _phase_slope(turned, time, framing, reach)
        steady = bool(residual <= 0.02 + 1.5 * noise / (signal + noise) and residual < 0.8)
        frames = effective_averages(framing, information.name, squared=False)
        if steady and frames >= _ENOUGH:
            # What is left of a steady tone is noise alone; the floor of the spectrum may hold
            # the skirts of stronger tones as well.
            left = residual * power * frames / (frames - 1)
            density = min(density, left / (2 * information.enbw))
        return cls(omega, slope, mean, steady, density)


def _tone(
    course: _Course, level: _Amplitude, framing: Framing, fs: float, information: _Information
) -> Tone:
    """Put together what is known of a tone."""
    amplitude = max(level.value, float(np.finfo(float).tiny))
    # 2σ²/A², with σ² the variance of a sample of the noise.
    ratio = course.density * framing.frame / amplitude**2
    if course.steady:
        slope = information.across * course.slope
        frequency = float(course.omega + slope)
        std = float(np.sqrt(ratio * information.steady))
        middle = framing.frame / 2 + float(framing.numbers.mean()) * framing.hop
        phase = float(np.angle(course.mean) - slope * middle)
        frames = effective_averages(framing, information.name, squared=False)
        of_mean = course.density * information.enbw / (frames * amplitude**2)
        phase_std = float(np.sqrt(of_mean + (middle * std) ** 2))
    else:
        frequency, std = float(course.omega), float(np.sqrt(ratio * information.loose))
        phase = phase_std = float("nan")
    to_hz = fs / (2 * np.pi)
    return Tone(
        frequency=float(frequency * to_hz),
        frequency_std=std * to_hz,
        amplitude=level.value,
        amplitude_std=level.std,
        phase_deg=float(np.degrees(np.angle(np.exp(1j * phase)))),
        phase_std_deg=float(np.degrees(phase_std)),
        steady=course.steady,
    )


def _phase_slope(
    z: Complex, time: Array, framing: Framing, reach: float
) -> tuple[float, complex, float]:
    """Slope δ of the phase of ``z`` over ``time`` (samples), within ±``reach`` rad/sample.

    Returns δ, the mean of z·e^(−iδt), and the share of the power that is not in that mean.
    """
    power = float(np.mean(np.abs(z) ** 2))
    if len(z) == 1 or power == 0.0:
        return 0.0, complex(z[0]), 0.0
    even = np.zeros(framing.places, dtype=np.complex128)  # frames left out count for nothing
    even[framing.numbers] = z
    size = 1 << (4 * len(even) - 1).bit_length()
    step = 2 * np.pi / (size * framing.hop)
    scores = np.abs(np.fft.fft(even, size))
    slopes = np.fft.fftfreq(size, 1 / size) * step
    scores[np.abs(slopes) > reach + step] = -1.0
    delta = float(slopes[np.argmax(scores)])
    mean = complex(np.mean(z))
    for _ in range(5):
        turned = z * np.exp(-1j * delta * time)
        mean = complex(np.mean(turned))
        if mean == 0:
            break
        error = np.imag(turned * np.conj(mean)) / abs(mean) ** 2
        delta += float(time @ error / (time @ time))
    mean = complex(np.mean(z * np.exp(-1j * delta * time)))
    return delta, mean, max(0.0, 1 - abs(mean) ** 2 / power)
