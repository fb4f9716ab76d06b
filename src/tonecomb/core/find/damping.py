"""Resonances: natural frequency and damping of a mode, from an averaged spectrum or a decay.

*Excited by noise:* quasi-likelihood (Whittle, Ark. Mat. 2 (1953) 423–434) of the averaged spectrum
about the peak against its exact expectation: the transform of the mode's autocorrelation
e^(−α|τ|)·(a cos ω_d τ + b sin ω_d|τ|) times the window's autocorrelation, over a flat background.
The window's width is part of the model, so that it is not taken for damping.

*After an impact:* complex least squares of the decay's transform against a pole of finite record,
(1 − zᴺ)/(1 − z·e^(−jω)), with its conjugate and a background of two terms.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.mode import Kind, Resonance, half_power_width
from tonecomb.core.find.mode_lines import ModeLines
from tonecomb.core.method.searches import Fit
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window

WIDER = 1.35  # times the window's −3 dB width from which a line is a resonance
_REACH = 6.0  # half-power bandwidths to each side that are fitted
_LEAST = 12  # bins that a fit needs
_MORE = 6  # for each further mode
_ROUNDS = 6  # of weighting anew by what was fitted
_TOGETHER, _MOST_TOGETHER = 12.0, 3  # bandwidths within which so many modes are fitted jointly
_TELLING = 0.3  # of what chance would leave, below which a misfit says how sure a fit is
_PLACE = 0.35  # of the window's width, for one average, by which a hit's place changes a width
SHARE = 0.25  # of the window's line below which a mode's width is not trusted
_MOST = 8  # resonances that are fitted
_DAMPED = 0.3  # damping ratio up to which a mode is one line
_UNDAMPED = 0.02  # fall over a frame below which nothing can be told of damping
_UNEXPLAINED = 0.03  # share of a decay's power about a peak that the fit may leave
_MISFIT = 0.1  # mean square of what an average may be off its model, besides its scatter
SURE = 0.3  # of the damping ratio, which its standard deviation must not exceed
_SURE_BY_HAND = 0.5  # the same where somebody says that there is a mode
_TRIED = 2  # maxima that are tried as the second of two modes
_SMOOTH = 30  # of a range over which it is smoothed to find them


@dataclass(frozen=True, eq=False)
class Data:
    """What modes are fitted to: a spectrum, its window, the sample rate (Hz), and the samples of
    the one frame that was analysed, shape (frame,), None where several were averaged.

    ``averages`` is what each bin is worth where that is not the same for all, and ``left_out``
    says what bins do not count, for a tone stands there; both of shape (bins,)."""

    spectrum: Spectrum
    taper: Window
    fs: float
    decay: Array | None
    averages: Array | None = None
    left_out: NDArray[np.bool_] | None = None

    def worth(self, first: int, stop: int) -> float:
        """Averages that the bins from ``first`` to ``stop`` (without padding) are worth."""
        if self.averages is None:
            return self.spectrum.effective_averages
        pad = round(self.spectrum.frame_hz / self.spectrum.bin_hz)
        return float(np.mean(self.averages[first * pad : stop * pad : pad]))


def find_resonances(data: Data, frequencies: list[float]) -> tuple[Resonance, ...]:
    """Those of the peaks at ``frequencies`` (Hz, rising) that are wider than the window's line.
    Neighbours within a few bandwidths are fitted together."""
    found: list[Resonance] = []
    spectrum, fs = data.spectrum, data.fs
    line = data.taper.width_3db * spectrum.frame_hz
    wide = [
        (f, width)
        for f in frequencies
        if not math.isnan(width := half_power_width(spectrum, f)) and width >= WIDER * line
    ]
    fit = fit_noise if data.decay is None else fit_decay
    for group in _groups(wide, _TOGETHER if data.decay is None else 0.0):
        if len(found) >= _MOST:
            break
        ones: tuple[Resonance, ...] = ()
        for starts in [group] if len(group) == 1 else [group, *([one] for one in group)]:
            within = [f for f, _ in starts]
            beside = [f for f in frequencies if f < within[0]][-1:]
            beyond = [f for f in frequencies if f > within[-1]][:1]
            low, high = reach_of(starts, beside, beyond, spectrum, fs)
            resonances = fit(data, (low, high), starts, SURE)
            resonances = tuple(
                one for one in resonances if one.kind == "decay" or one.bandwidth > SHARE * line
            )
            ones = (*ones, *resonances)
            if len(starts) > 1 and len(resonances) == len(starts):
                break
        found += ones
    return tuple(found)


def _groups(wide: list[tuple[float, float]], together: float) -> list[list[tuple[float, float]]]:
    """Peaks (frequency and half-power width) that are nearer than so many widths, up to three."""
    groups: list[list[tuple[float, float]]] = []
    for frequency, width in wide:
        before = groups[-1] if groups else []
        near = before and frequency - before[-1][0] < together * max(width, before[-1][1])
        if near and len(before) < _MOST_TOGETHER:
            before.append((frequency, width))
        else:
            groups.append([(frequency, width)])
    return groups


def reach_of(
    starts: list[tuple[float, float]],
    beside: list[float],
    beyond: list[float],
    spectrum: Spectrum,
    fs: float,
) -> tuple[float, float]:
    """From where to where (Hz) a fit goes: some bandwidths, up to half way to other peaks."""
    ends = []
    for (frequency, width), others, edge in (
        (starts[0], beside, 0.0),
        (starts[-1], beyond, fs / 2),
    ):
        reach = max(_REACH * width, _LEAST / 2 * spectrum.frame_hz)
        other = others[0] if others else edge
        half = abs(frequency - (other + frequency) / 2)
        ends.append(min(reach, half))
    return starts[0][0] - ends[0], starts[-1][0] + ends[1]


def fit_by_hand(data: Data, wanted: Fit) -> tuple[Resonance, ...]:
    """The modes in a range, by rising frequency; none where the data does not bear them out.

    One frame is taken for a decay, and where it does not ring for noise.
    """
    spectrum = data.spectrum
    at = (spectrum.frequency >= wanted.low) & (spectrum.frequency <= wanted.high)
    power, frequency = spectrum.mean_square[at], spectrum.frequency[at]
    if len(power) < 3:
        return ()
    limits = (wanted.low, wanted.high)
    tried = _pairs(frequency, power) if wanted.modes == 2 else [[_start(spectrum, limits)]]
    for fit in (fit_noise,) if data.decay is None else (fit_decay, fit_noise):
        for starts in tried:
            ones = fit(data, limits, starts, _SURE_BY_HAND)
            if ones and all(wanted.low <= one.frequency <= wanted.high for one in ones):
                return ones
    return ()


def _start(spectrum: Spectrum, limits: tuple[float, float]) -> tuple[float, float]:
    """The highest point between two frequencies, and how wide it is."""
    at = (spectrum.frequency >= limits[0]) & (spectrum.frequency <= limits[1])
    top = float(spectrum.frequency[at][np.argmax(spectrum.mean_square[at])])
    width, span = half_power_width(spectrum, top), limits[1] - limits[0]
    return top, span / 4 if math.isnan(width) else min(width, span / 2)


def _pairs(frequency: Array, power: Array) -> list[list[tuple[float, float]]]:
    """Where two modes may be and how wide: the highest point with each of the next highest
    maxima of the smoothed spectrum, and with a shoulder on either side."""
    wide = max(3, len(power) // _SMOOTH)
    power = np.convolve(power, np.ones(wide) / wide, "same")
    top, span = int(np.argmax(power)), float(frequency[-1] - frequency[0])
    inner = np.zeros(len(power), dtype=bool)
    inner[1:-1] = (power[1:-1] > power[:-2]) & (power[1:-1] >= power[2:])
    others = np.flatnonzero(inner & (np.abs(frequency - frequency[top]) > 0.05 * span))
    highest = frequency[others[np.argsort(-power[others])[:_TRIED]]].tolist()
    first = float(frequency[top])
    shoulders = [first + side * span for side in (-0.15, 0.15)]
    seconds = highest + [at for at in shoulders if frequency[0] < at < frequency[-1]]
    return [
        [(at, max(abs(second - first) / 3, span / 50)) for at in sorted((first, second))]
        for second in seconds
    ]


def _bins(limits: tuple[float, float], bin_hz: float, fs: float, modes: int) -> tuple[int, int]:
    """First bin and the one after the last of what is fitted, both 0 where there are too few."""
    first = max(1, math.ceil(limits[0] / bin_hz))
    stop = math.floor(min(limits[1], fs / 2 - bin_hz) / bin_hz) + 1
    return (first, stop) if stop - first >= _LEAST + _MORE * (modes - 1) else (0, 0)


@dataclass(frozen=True, eq=False)
class NoiseModel:
    """Modes under noise, and a flat part, over some bins of an averaged spectrum. ``mode`` gives
    cosine and sine part of a mode (bins,) for its ω and ln α, in rad and nepers a sample;
    ``measured`` is the power of the bins, of which those of ``counts`` count."""

    mode: Callable[[float, float], Sequence[Array]]
    measured: Array
    counts: NDArray[np.bool_]

    def columns(self, at: Array) -> Array:
        """Both parts of each mode of (ω, ln α) pairs, and the flat one: (bins, 2·modes + 1)."""
        parts = [part for pair in at.reshape(-1, 2).tolist() for part in self.mode(*pair)]
        return np.stack([*parts, np.ones(len(self.measured))], axis=1)

    def solved(self, at: Array, weight: Array) -> tuple[Array, Array]:
        """How much of each column fits best, relative to ``weight`` (bins,), and the sum."""
        columns = self.columns(at)
        scaled = (columns / weight[:, None])[self.counts]
        size = np.linalg.norm(scaled, axis=0)
        target = (self.measured / weight)[self.counts]
        parts = np.linalg.lstsq(scaled / size, target, rcond=None)[0] / size
        return parts, columns @ parts

    def residual(self, at: Array, weight: Array) -> Array:
        """What is left of the bins that count, relative to ``weight``."""
        return np.asarray(((self.measured - self.solved(at, weight)[1]) / weight)[self.counts])


def decay_columns(at: Array, n: int, first: int, stop: int) -> Array:
    """Real columns for real and imaginary parts of the bins ``first`` to ``stop`` of ``n`` samples
    of modes that ring freely, and of a tilted background: shape (2·bins, 2·modes + 4). ``at`` has
    ω and ln α of each mode, in rad and nepers a sample; of their geometric series."""
    turns = np.exp(-2j * np.pi * np.arange(first, stop) / n)
    tilt = np.linspace(-1, 1, stop - first)
    terms = [np.ones(len(turns)) + 0j, 1j * np.ones(len(turns)), tilt + 0j, 1j * tilt]
    for omega, logged in at.reshape(-1, 2):
        alpha = math.exp(float(np.clip(logged, -50.0, 1.0)))
        ratio = min(alpha / max(omega, 1e-9), 0.99)
        z = np.exp(-alpha + 1j * omega * math.sqrt(1 - ratio**2))
        one = (1 - z**n) / (1 - z * turns)
        other = (1 - np.conj(z) ** n) / (1 - np.conj(z) * turns)
        size = float(np.abs(one).max())
        terms += [(one + other) / size, 1j * (one - other) / size]
    stacked = np.stack(terms, axis=1).astype(np.complex128)
    return np.concatenate([stacked.real, stacked.imag])


def _unexplained(columns: Array, target: Array) -> Array:
    """What no sum of the columns is of a target."""
    return np.asarray(target - columns @ np.linalg.lstsq(columns, target, rcond=None)[0])


def fit_noise(
    data: Data, limits: tuple[float, float], starts: list[tuple[float, float]], sure: float
) -> tuple[Resonance, ...]:
    """Fit modes that noise excites to the averaged spectrum between two frequencies (Hz).

    ``starts`` are a frequency and a half-power width (Hz) for each mode; ``sure`` is the standard
    deviation of a damping ratio, as a share of it, above which a mode is not told.
    """
    from scipy.fft import rfft
    from scipy.optimize import least_squares

    spectrum, taper, fs, count = data.spectrum, data.taper, data.fs, len(starts)
    n = spectrum.framing.frame
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    power = spectrum.mean_square[::pad]
    first, stop = _bins(limits, spectrum.frame_hz, fs, count)
    if not stop:
        return ()
    measured, level = power[first:stop], float(power[first:stop].max())
    if not np.finfo(float).tiny < level < math.inf:
        return ()
    measured = measured / level
    counts = np.ones(stop - first, dtype=bool)
    if data.left_out is not None:
        counts = ~data.left_out[first * pad : stop * pad : pad]
        if counts.sum() < _LEAST + _MORE * (count - 1):
            return ()
    weights = taper.samples(n)
    line = taper.width_3db * spectrum.frame_hz

    # A step in one mode's parameter leaves the other mode as it is.
    mode = lru_cache(4 * count)(ModeLines(weights, first, stop))
    shape = NoiseModel(mode, measured, counts)
    model = np.maximum(measured, 0.05)
    span = (stop - first) * spectrum.frame_hz * 2 * np.pi / fs
    begin = np.array(
        [
            value
            for frequency, width in starts
            for value in (
                2 * np.pi * frequency / fs,
                math.log(np.pi * max(width - line, 0.1 * width) / fs),
            )
        ]
    )
    scale = np.tile([begin[0] * 1e-3 + span * 1e-3, 0.1], count)
    for _ in range(_ROUNDS):
        before = begin
        begin = least_squares(
            shape.residual, begin, x_scale=scale, method="lm", max_nfev=60 * count, args=(model,)
        ).x
        if not _sensible(begin, n):
            return ()
        fitted = shape.solved(begin, model)[1]
        model = np.maximum(fitted, 1e-3 * float(fitted.max()))
        if np.all(np.abs(begin - before) < 1e-6 * scale):
            break
    parts, fitted = shape.solved(begin, model)
    misfit = float(np.mean((measured / model - 1)[counts] ** 2))
    worth = data.worth(first, stop)
    if fitted.min() <= 0 or misfit > _MISFIT + 4 / worth:
        return ()  # several lines that run together, or no mode at all
    # Information of all parameters; neighbouring bins are not independent.
    together = rfft(np.pad(weights**2, (0, n)))[::2] / float(weights @ weights)
    shared = 1 + 2 * float(np.sum(np.abs(together[1:8]) ** 2))
    # Hits at regular times leave less than chance would: then the misfit says how sure it is.
    variance = min(shared / worth, shared * misfit / _TELLING)
    jacobian = _jacobian(lambda at: shape.columns(at) @ parts, begin)
    design = np.concatenate([jacobian, shape.columns(begin)], axis=1) / model[:, None]
    std = _stds(design[counts], variance, 2 * count)
    if variance < shared / worth:
        # Where in the frames the hits fell is still chance, and with it the window's part.
        width = 2 * np.exp(begin[1::2]) * fs / (2 * np.pi)
        std[1::2] = np.hypot(std[1::2], _PLACE * line / width / math.sqrt(worth))
    axis: Array = np.arange(first, stop) * np.float64(spectrum.frame_hz)
    return _made(begin, std, data, "noise", axis, fitted * level, sure)


def fit_decay(
    data: Data, limits: tuple[float, float], starts: list[tuple[float, float]], sure: float
) -> tuple[Resonance, ...]:
    """Fit modes that ring after an impact to the samples of one frame, from where they have
    been largest on; the window plays no part in it. Arguments as for :func:`fit_noise`."""
    from scipy.fft import rfft
    from scipy.optimize import least_squares

    assert data.decay is not None
    fs, spectrum, count = data.fs, data.spectrum, len(starts)
    x = data.decay - data.decay.mean()
    onset = int(np.argmax(np.abs(x)))
    x = x[onset + max(2, round(0.002 * fs)) :]  # the impact itself has passed
    n = len(x)
    if n < 4 * _LEAST:
        return ()
    bin_hz = fs / n
    first, stop = _bins(limits, bin_hz, fs, count)
    if not stop:
        return ()
    measured = rfft(x)[first:stop]
    measured = measured / float(np.abs(measured).max())
    wanted = np.concatenate([measured.real, measured.imag])

    def columns(at: Array) -> Array:
        return decay_columns(at, n, first, stop)

    begin = np.array(
        [
            value
            for frequency, width in starts
            for value in (2 * np.pi * frequency / fs, math.log(np.pi * width / fs))
        ]
    )
    scale = np.tile([1e-3 * begin[0], 0.1], count)
    at = least_squares(
        lambda at: _unexplained(columns(at), wanted),
        begin,
        x_scale=scale,
        method="lm",
        max_nfev=100 * count,
    ).x
    if not _sensible(at, n):
        return ()
    values = columns(at)
    parts = np.linalg.lstsq(values, wanted, rcond=None)[0]
    fitted = values @ parts
    left = wanted - fitted
    if left @ left > _UNEXPLAINED * (wanted @ wanted):
        return ()  # it does not ring
    noise = float(left @ left) / max(len(left) - 4 - 4 * count, 1)
    jacobian = _jacobian(lambda moved: columns(moved) @ parts, at)
    std = _stds(np.concatenate([jacobian, values], axis=1), noise, 2 * count)
    size = np.abs(fitted[: stop - first] + 1j * fitted[stop - first :]) ** 2
    axis: Array = np.arange(first, stop) * np.float64(bin_hz)
    # On the scale of the spectrum, whose frame and window are others.
    near = np.round(np.array([axis[int(np.argmax(size))]]) / spectrum.bin_hz).astype(int)[0]
    top = float(spectrum.mean_square[max(near - 1, 0) : near + 2].max())
    return _made(at, std, data, "decay", axis, size / size.max() * top, sure)


def _sensible(at: Array, n: int) -> bool:
    """Whether every mode lies in the band and is damped as much as can be told, no more."""
    omega, logged = at[::2], at[1::2]
    if np.any(omega <= 0) or np.any(omega >= np.pi):
        return False
    within = (logged > math.log(_UNDAMPED / n)) & (logged < np.log(_DAMPED * omega))
    return bool(np.all(within))


def _jacobian(model: Callable[[Array], Array], at: Array) -> Array:
    """How a model of (ω, ln α) pairs changes with them, shape (values, parameters)."""
    now, columns = model(at), []
    for i in range(len(at)):
        step = 1e-5 if i % 2 else 1e-4 * math.exp(at[i + 1])
        moved = at.copy()
        moved[i] += step
        columns.append((model(moved) - now) / step)
    return np.stack(columns, axis=1)


def _stds(design: Array, variance: float, count: int) -> Array:
    """Standard deviations of the first ``count`` parameters of a linearised fit."""
    size = np.linalg.norm(design, axis=0)
    size = np.where(size > 0, size, 1.0)
    inverse = np.linalg.pinv((design / size).T @ (design / size))
    return np.sqrt(np.maximum(np.diag(inverse)[:count], 0.0) * variance) / size[:count]


def _made(
    at: Array, std: Array, data: Data, kind: Kind, axis: Array, fitted: Array, sure: float
) -> tuple[Resonance, ...]:
    """The modes by rising frequency; none where a damping is too uncertain to be told."""
    if not np.all(np.isfinite(std)) or np.any(std[1::2] > sure):
        return ()
    to_hz = data.fs / (2 * np.pi)
    resonances = []
    for k in range(0, len(at), 2):
        damping = math.exp(float(at[k + 1])) / float(at[k])
        frequency = float(at[k]) * to_hz
        resonances.append(
            Resonance(
                frequency=frequency,
                frequency_std=float(std[k]) * to_hz,
                damping=damping,
                damping_std=damping * float(std[k + 1]),
                half_power=half_power_width(data.spectrum, frequency),
                kind=kind,
                fit_frequency=axis,
                fit=np.asarray(fitted),
            )
        )
    return tuple(sorted(resonances, key=lambda one: one.frequency))
