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
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.errors import UserError
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.estimate.windows import Window
from tonecomb.core.record.recording import Array

Kind = Literal["noise", "decay", "ringing"]
WIDER = 1.35  # times the window's −3 dB width from which a line is a resonance
_REACH = 6.0  # half-power bandwidths to each side that are fitted
_LEAST = 12  # bins that a fit needs
_MORE = 6  # for each further mode
_ROUNDS = 6
_SHARE = 0.25  # of the window's line below which a mode's width is not trusted
_MOST = 8  # resonances that are fitted
_DAMPED = 0.3  # damping ratio up to which a mode is one line
_UNDAMPED = 0.02  # fall over a frame below which nothing can be told of damping
_UNEXPLAINED = 0.03  # share of a decay's power about a peak that the fit may leave
_MISFIT = 0.1  # mean square of what an average may be off its model, besides its scatter
_SURE = 0.3  # of the damping ratio, which its standard deviation must not exceed
_SURE_BY_HAND = 0.5  # the same where somebody says that there is a mode
_TRIED = 2  # maxima that are tried as the second of two modes
_SMOOTH = 30  # of a range over which it is smoothed to find them


@dataclass(frozen=True, eq=False)
class Resonance:
    """A mode. ``frequency`` is its natural frequency (Hz), ``damping`` its damping ratio.

    ``half_power`` is the width (Hz) of the line in the spectrum at half its power, the window's
    part in it included, nan where the line is cut off. ``fit_frequency`` and ``fit`` (mean square
    as in the spectrum, unit²) draw what was fitted; both have shape (bins,).
    """

    frequency: float
    frequency_std: float
    damping: float
    damping_std: float
    half_power: float
    kind: Kind
    fit_frequency: Array
    fit: Array

    @property
    def q(self) -> float:
        """Quality factor 1/2ζ."""
        return 1 / (2 * self.damping)

    @property
    def bandwidth(self) -> float:
        """Half-power bandwidth 2ζf₀ in Hz, that of the mode without the window."""
        return 2 * self.damping * self.frequency


def half_power_width(spectrum: Spectrum, frequency: float) -> float:
    """Width in Hz of the line at ``frequency`` where it has fallen to half of its highest bin,
    between bins by a line in the power; nan where it does not fall so far before it rises above
    its top again or the axis ends."""
    power = spectrum.mean_square
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    near = min(round(frequency / spectrum.bin_hz), len(power) - 1)
    first = max(near - pad, 0)
    at = first + int(np.argmax(power[first : near + pad + 1]))
    half = power[at] / 2
    ends = []
    for side in (power[: at + 1][::-1], power[at:]):
        below = np.flatnonzero(side < half)
        if not below.size or side[: below[0]].max() > power[at]:
            return math.nan
        k = int(below[0])
        ends.append(k - 1 + float((side[k - 1] - half) / (side[k - 1] - side[k])))
    return sum(ends) * spectrum.bin_hz


@dataclass(frozen=True)
class Fit:
    """A range (Hz) in which one mode or two are fitted because the user says so."""

    low: float
    high: float
    modes: int = 1

    def check(self, nyquist: float) -> None:
        """Raise :class:`UserError` where there is no such range, or no such fit."""
        if not 0 <= self.low < self.high <= nyquist * (1 + 1e-9) or self.modes not in (1, 2):
            raise UserError(
                f"No mode can be fitted from {self.low:g} to {self.high:g} Hz",
                remedy=f"choose a range between 0 and {nyquist:g} Hz, and 1 or 2 modes",
            )


@dataclass(frozen=True, eq=False)
class Data:
    """What modes are fitted to: a spectrum, its window, the sample rate (Hz), and the samples of
    the one frame that was analysed, shape (frame,), None where several were averaged."""

    spectrum: Spectrum
    taper: Window
    fs: float
    decay: Array | None


def find_resonances(data: Data, frequencies: list[float]) -> tuple[Resonance, ...]:
    """Those of the peaks at ``frequencies`` (Hz, rising) that are wider than the window's line."""
    found: list[Resonance] = []
    spectrum, fs = data.spectrum, data.fs
    line = data.taper.width_3db * spectrum.frame_hz
    for i, frequency in enumerate(frequencies):
        width = half_power_width(spectrum, frequency)
        if math.isnan(width) or width < WIDER * line or len(found) == _MOST:
            continue
        low = frequencies[i - 1] if i else 0.0
        high = frequencies[i + 1] if i + 1 < len(frequencies) else fs / 2
        reach = max(_REACH * width, _LEAST / 2 * spectrum.frame_hz)
        low = max((low + frequency) / 2, frequency - reach)
        high = min((high + frequency) / 2, frequency + reach)
        fit = fit_noise if data.decay is None else fit_decay
        ones = fit(data, (low, high), [(frequency, width)], _SURE)
        found += [one for one in ones if one.kind == "decay" or one.bandwidth > _SHARE * line]
    return tuple(found)


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


def fit_noise(
    data: Data, limits: tuple[float, float], starts: list[tuple[float, float]], sure: float
) -> tuple[Resonance, ...]:
    """Fit modes that noise excites to the averaged spectrum between two frequencies (Hz).

    ``starts`` are a frequency and a half-power width (Hz) for each mode; ``sure`` is the standard
    deviation of a damping ratio, as a share of it, above which a mode is not told.
    """
    from scipy.fft import irfft, rfft
    from scipy.optimize import least_squares

    spectrum, taper, fs, count = data.spectrum, data.taper, data.fs, len(starts)
    n = spectrum.framing.frame
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    power = spectrum.mean_square[::pad]
    first, stop = _bins(limits, spectrum.frame_hz, fs, count)
    if not stop:
        return ()
    measured, level = power[first:stop], float(power[first:stop].max())
    measured = measured / level
    weights = taper.samples(n)
    transform = rfft(weights, 2 * n)
    lags = irfft(np.abs(transform) ** 2, 2 * n)[:n] / float(weights @ weights)
    line = taper.width_3db * spectrum.frame_hz

    @lru_cache(4 * count)  # a step in one mode's parameter leaves the other mode as it is
    def mode(omega: float, logged: float) -> tuple[Array, Array]:
        alpha = math.exp(float(np.clip(logged, -50.0, 1.0)))
        ratio = min(alpha / max(omega, 1e-9), 0.99)
        turning = _powers(-alpha + 1j * omega * math.sqrt(1 - ratio**2), n) * lags
        return 2 * rfft(turning.real)[first:stop].real - 1, 2 * rfft(turning.imag)[first:stop].real

    def shapes(at: Array) -> Array:
        """Cosine and sine part of each mode and the flat part, shape (bins, 2·modes + 1)."""
        columns = [part for pair in at.reshape(-1, 2).tolist() for part in mode(*pair)]
        return np.stack([*columns, np.ones(stop - first)], axis=1)

    model = np.maximum(measured, 0.05)

    def solved(at: Array) -> tuple[Array, Array]:
        columns = shapes(at)
        scaled = columns / model[:, None]
        size = np.linalg.norm(scaled, axis=0)
        parts = np.linalg.lstsq(scaled / size, measured / model, rcond=None)[0] / size
        return parts, columns @ parts

    def residual(at: Array) -> Array:
        return np.asarray((measured - solved(at)[1]) / model)

    span = (stop - first) * spectrum.frame_hz * 2 * np.pi / fs
    begin = np.array([
        value for frequency, width in starts
        for value in (2 * np.pi * frequency / fs,
                      math.log(np.pi * max(width - line, 0.1 * width) / fs))
    ])  # fmt: skip
    scale = np.tile([begin[0] * 1e-3 + span * 1e-3, 0.1], count)
    for _ in range(_ROUNDS):
        before = begin
        begin = least_squares(residual, begin, x_scale=scale, method="lm", max_nfev=60 * count).x
        if not _sensible(begin, n):
            return ()
        fitted = solved(begin)[1]
        model = np.maximum(fitted, 1e-3 * float(fitted.max()))
        if np.all(np.abs(begin - before) < 1e-6 * scale):
            break
    parts, fitted = solved(begin)
    misfit = float(np.mean((measured / model - 1) ** 2))
    if fitted.min() <= 0 or misfit > _MISFIT + 4 / spectrum.effective_averages:
        return ()  # several lines that run together, or no mode at all
    # Information of all parameters; neighbouring bins are not independent.
    together = rfft(np.pad(weights**2, (0, n)))[::2] / float(weights @ weights)
    shared = 1 + 2 * float(np.sum(np.abs(together[1:8]) ** 2))
    averages = spectrum.effective_averages / shared
    jacobian = _jacobian(lambda at: shapes(at) @ parts, begin)
    design = np.concatenate([jacobian, shapes(begin)], axis=1) / model[:, None]
    std = _stds(design, 1 / averages, 2 * count)
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
    turns = np.exp(-2j * np.pi * np.arange(first, stop) / n)
    tilt = np.linspace(-1, 1, stop - first)

    def columns(at: Array) -> Array:
        """Real columns for real and imaginary parts of the bins, shape (2·bins, 2·modes + 4)."""
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

    wanted = np.concatenate([measured.real, measured.imag])

    def residual(at: Array) -> Array:
        made = columns(at)
        return np.asarray(wanted - made @ np.linalg.lstsq(made, wanted, rcond=None)[0])

    begin = np.array([
        value for frequency, width in starts
        for value in (2 * np.pi * frequency / fs, math.log(np.pi * width / fs))
    ])  # fmt: skip
    scale = np.tile([1e-3 * begin[0], 0.1], count)
    at = least_squares(residual, begin, x_scale=scale, method="lm", max_nfev=100 * count).x
    if not _sensible(at, n):
        return ()
    made = columns(at)
    parts = np.linalg.lstsq(made, wanted, rcond=None)[0]
    fitted = made @ parts
    left = wanted - fitted
    if left @ left > _UNEXPLAINED * (wanted @ wanted):
        return ()  # it does not ring
    noise = float(left @ left) / max(len(left) - 4 - 4 * count, 1)
    jacobian = _jacobian(lambda moved: columns(moved) @ parts, at)
    std = _stds(np.concatenate([jacobian, made], axis=1), noise, 2 * count)
    size = np.abs(fitted[: len(turns)] + 1j * fitted[len(turns) :]) ** 2
    axis: Array = np.arange(first, stop) * np.float64(bin_hz)
    # On the scale of the spectrum, whose frame and window are others.
    near = np.round(np.array([axis[int(np.argmax(size))]]) / spectrum.bin_hz).astype(int)[0]
    top = float(spectrum.mean_square[max(near - 1, 0) : near + 2].max())
    return _made(at, std, data, "decay", axis, size / size.max() * top, sure)


def _powers(exponent: complex, n: int) -> NDArray[np.complex128]:
    """e^(exponent·k) for k from 0 to n − 1, by a product of two short runs of powers."""
    step = math.isqrt(n) + 1
    short, long = np.exp(exponent * np.arange(step)), np.exp(exponent * step * np.arange(step))
    return np.multiply.outer(long, short).ravel()[:n]


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
    found = []
    for k in range(0, len(at), 2):
        damping = math.exp(float(at[k + 1])) / float(at[k])
        frequency = float(at[k]) * to_hz
        found.append(
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
    return tuple(sorted(found, key=lambda one: one.frequency))
