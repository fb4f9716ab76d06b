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
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from tonecomb.core.recording import Array
from tonecomb.core.spectrum import Spectrum
from tonecomb.core.windows import Window

Kind = Literal["noise", "decay"]
WIDER = 1.35  # times the window's −3 dB width from which a line is a resonance
_REACH = 6.0  # half-power bandwidths to each side that are fitted
_LEAST = 12  # bins that a fit needs
_ROUNDS = 6
_SHARE = 0.25  # of the window's line below which a mode's width is not trusted
_MOST = 8  # resonances that are fitted
_DAMPED = 0.3  # damping ratio up to which a mode is one line
_UNDAMPED = 0.02  # fall over a frame below which nothing can be told of damping
_UNEXPLAINED = 0.03  # share of a decay's power about a peak that the fit may leave
_MISFIT = 0.1  # mean square of what an average may be off its model, besides its scatter
_SURE = 0.3  # of the damping ratio, which its standard deviation must not exceed


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


def find_resonances(
    spectrum: Spectrum, taper: Window, fs: float, frequencies: list[float], decay: Array | None
) -> tuple[Resonance, ...]:
    """Those of the peaks at ``frequencies`` (Hz, rising) that are wider than the window's line.

    ``decay`` are the samples of the one frame that was analysed, shape (frame,), None where
    several were averaged.
    """
    found: list[Resonance] = []
    line = taper.width_3db * spectrum.frame_hz
    for i, frequency in enumerate(frequencies):
        width = half_power_width(spectrum, frequency)
        if math.isnan(width) or width < WIDER * line or len(found) == _MOST:
            continue
        low = frequencies[i - 1] if i else 0.0
        high = frequencies[i + 1] if i + 1 < len(frequencies) else fs / 2
        limits = ((low + frequency) / 2, (high + frequency) / 2)
        if decay is not None:
            one = fit_decay(spectrum, taper, fs, frequency, limits, decay)
        else:
            one = fit_noise(spectrum, taper, fs, frequency, limits)
        if one is not None and (one.kind == "decay" or one.bandwidth > _SHARE * line):
            found.append(one)
    return tuple(found)


def _band(
    frequency: float, width: float, limits: tuple[float, float], bin_hz: float, highest: float
) -> tuple[int, int]:
    """First bin and the one after the last of what is fitted."""
    reach = max(_REACH * width, _LEAST / 2 * bin_hz)
    low, high = max(limits[0], frequency - reach), min(limits[1], frequency + reach)
    return max(1, math.ceil(low / bin_hz)), math.floor(min(high, highest) / bin_hz) + 1


def fit_noise(
    spectrum: Spectrum, taper: Window, fs: float, frequency: float, limits: tuple[float, float]
) -> Resonance | None:
    """Fit a mode that noise excites to the averaged spectrum between two frequencies (Hz)."""
    from scipy.fft import irfft, rfft
    from scipy.optimize import least_squares

    n = spectrum.framing.frame
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    power = spectrum.mean_square[::pad]
    width = half_power_width(spectrum, frequency)
    if math.isnan(width):
        return None
    first, stop = _band(frequency, width, limits, spectrum.frame_hz, fs / 2 - spectrum.frame_hz)
    if stop - first < _LEAST:
        return None
    measured, level = power[first:stop], float(power[first:stop].max())
    measured = measured / level
    weights = taper.samples(n)
    transform = rfft(weights, 2 * n)
    lags = irfft(np.abs(transform) ** 2, 2 * n)[:n] / float(weights @ weights)
    steps = np.arange(n)
    line = taper.width_3db * spectrum.frame_hz

    def shapes(omega: float, alpha: float) -> Array:
        """Cosine, sine and flat part of the expected spectrum, shape (bins, 3)."""
        ratio = min(alpha / max(omega, 1e-9), 0.99)
        turning = np.exp((-alpha + 1j * omega * math.sqrt(1 - ratio**2)) * steps) * lags
        cosine = 2 * rfft(turning.real)[first:stop].real - 1
        sine = 2 * rfft(turning.imag)[first:stop].real
        return np.stack([cosine, sine, np.ones(stop - first)], axis=1)

    start = np.array([2 * np.pi * frequency / fs, math.log(np.pi * max(width - line, 0.1 * width)
                                                           / fs)])  # fmt: skip
    model = np.maximum(measured, 0.05)

    def residual(at: Array) -> Array:
        return np.asarray((measured - solved(at)[1]) / model)

    def solved(at: Array) -> tuple[Array, Array]:
        columns = shapes(float(at[0]), math.exp(float(np.clip(at[1], -50.0, 1.0))))
        scaled = columns / model[:, None]
        size = np.linalg.norm(scaled, axis=0)
        parts = np.linalg.lstsq(scaled / size, measured / model, rcond=None)[0] / size
        return parts, columns @ parts

    span = (stop - first) * spectrum.frame_hz * 2 * np.pi / fs
    scale = np.array([start[0] * 1e-3 + span * 1e-3, 0.1])
    for _ in range(_ROUNDS):
        before = start
        result = least_squares(residual, start, x_scale=scale, method="lm", max_nfev=60)
        start = result.x
        undamped = math.log(_UNDAMPED / n)
        if not (0 < start[0] < np.pi and undamped < start[1] < math.log(_DAMPED * start[0])):
            return None
        model = np.maximum(solved(start)[1], 1e-3 * float(solved(start)[1].max()))
        if np.all(np.abs(start - before) < 1e-6 * scale):
            break
    parts, fitted = solved(start)
    misfit = float(np.mean((measured / model - 1) ** 2))
    if fitted.min() <= 0 or misfit > _MISFIT + 4 / spectrum.effective_averages:
        return None  # several lines that run together, or no mode at all
    omega, alpha = float(start[0]), math.exp(float(start[1]))
    # Information of all five parameters; neighbouring bins are not independent.
    together = rfft(np.pad(weights**2, (0, n)))[::2] / float(weights @ weights)
    shared = 1 + 2 * float(np.sum(np.abs(together[1:8]) ** 2))
    averages = spectrum.effective_averages / shared
    jacobian = [(shapes(omega + d0, math.exp(math.log(alpha) + d1)) @ parts - fitted) / (d0 + d1)
                for d0, d1 in ((1e-4 * alpha, 0.0), (0.0, 1e-5))]  # fmt: skip
    design = np.stack([*jacobian, *shapes(omega, alpha).T], axis=1) / model[:, None]
    std = _stds(design, 1 / averages)
    return _made(omega, alpha, std, fs, width, "noise", spectrum, (first, stop), fitted * level)


def fit_decay(
    spectrum: Spectrum, taper: Window, fs: float, frequency: float, limits: tuple[float, float],
    samples: Array,
) -> Resonance | None:  # fmt: skip
    """Fit a mode that rings after an impact to the samples of one frame, from where they have
    been largest on; the window plays no part in it."""
    from scipy.fft import rfft
    from scipy.optimize import least_squares

    x = samples - samples.mean()
    onset = int(np.argmax(np.abs(x)))
    onset += max(2, round(0.002 * fs))  # the impact itself has passed
    x = x[onset:]
    n = len(x)
    if n < 4 * _LEAST:
        return None
    bins = rfft(x)
    bin_hz = fs / n
    width = half_power_width(spectrum, frequency)
    if math.isnan(width):
        return None
    first, stop = _band(frequency, width, limits, bin_hz, fs / 2 - bin_hz)
    if stop - first < _LEAST:
        return None
    measured = bins[first:stop]
    scale = float(np.abs(measured).max())
    measured = measured / scale
    turns = np.exp(-2j * np.pi * np.arange(first, stop) / n)
    tilt = np.linspace(-1, 1, stop - first)

    def columns(omega: float, alpha: float) -> Array:
        """Real columns for real and imaginary parts of the bins, shape (2·bins, 6)."""
        ratio = min(alpha / max(omega, 1e-9), 0.99)
        z = np.exp(-alpha + 1j * omega * math.sqrt(1 - ratio**2))
        one = (1 - z**n) / (1 - z * turns)
        other = (1 - np.conj(z) ** n) / (1 - np.conj(z) * turns)
        terms = [one + other, 1j * (one - other), np.ones(len(turns)), 1j * np.ones(len(turns)),
                 tilt + 0j, 1j * tilt]  # fmt: skip
        size = float(np.abs(one).max())
        stacked = np.stack(terms, axis=1).astype(np.complex128)
        stacked[:, :2] /= size
        return np.concatenate([stacked.real, stacked.imag])

    wanted = np.concatenate([measured.real, measured.imag])

    def residual(at: Array) -> Array:
        made = columns(float(at[0]), math.exp(float(np.clip(at[1], -50.0, 1.0))))
        return np.asarray(wanted - made @ np.linalg.lstsq(made, wanted, rcond=None)[0])

    start = np.array([2 * np.pi * frequency / fs, math.log(np.pi * width / fs)])
    result = least_squares(residual, start, x_scale=np.array([1e-3 * start[0], 0.1]), method="lm")
    omega, alpha = float(result.x[0]), math.exp(float(np.clip(result.x[1], -50.0, 1.0)))
    if not (0 < omega < np.pi and _UNDAMPED / n < alpha < _DAMPED * omega):
        return None
    made = columns(omega, alpha)
    parts = np.linalg.lstsq(made, wanted, rcond=None)[0]
    left = wanted - made @ parts
    if left @ left > _UNEXPLAINED * (wanted @ wanted):
        return None  # it does not ring
    noise = float(left @ left) / max(len(left) - 8, 1)
    jacobian = [(columns(omega + d0, math.exp(math.log(alpha) + d1)) @ parts - made @ parts)
                / (d0 + d1) for d0, d1 in ((1e-4 * alpha, 0.0), (0.0, 1e-5))]  # fmt: skip
    std = _stds(np.stack([*jacobian, *made.T], axis=1), noise)
    fitted = made @ parts
    size = np.abs(fitted[: len(turns)] + 1j * fitted[len(turns) :]) ** 2
    # On the scale of the spectrum, whose frame and window are others.
    peak = float(spectrum.mean_square[
        max(round(frequency / spectrum.bin_hz) - 1, 0) : round(frequency / spectrum.bin_hz) + 2
    ].max())  # fmt: skip
    shown = size / size.max() * peak
    one = _made(omega, alpha, std, fs, width, "decay", spectrum, (first, stop), shown)
    axis: Array = np.arange(first, stop) * np.float64(bin_hz)
    return None if one is None else replace(one, fit_frequency=axis)


def _stds(design: Array, variance: float) -> Array:
    """Standard deviations of the first two parameters of a linearised fit."""
    size = np.linalg.norm(design, axis=0)
    size = np.where(size > 0, size, 1.0)
    inverse = np.linalg.pinv((design / size).T @ (design / size))
    return np.sqrt(np.maximum(np.diag(inverse)[:2], 0.0) * variance) / size[:2]


def _made(
    omega: float, alpha: float, std: Array, fs: float, width: float, kind: Kind,
    spectrum: Spectrum, bins: tuple[int, int], fitted: Array,
) -> Resonance | None:  # fmt: skip
    """A resonance, None where its damping is too uncertain to be told."""
    damping = alpha / omega
    damping_std = damping * float(std[1])
    if damping_std > _SURE * damping or not np.isfinite(damping_std):
        return None
    axis: Array = np.arange(*bins) * np.float64(spectrum.frame_hz)
    return Resonance(
        frequency=omega * fs / (2 * np.pi),
        frequency_std=float(std[0]) * fs / (2 * np.pi),
        damping=damping,
        damping_std=damping_std,
        half_power=width,
        kind=kind,
        fit_frequency=axis,
        fit=np.asarray(fitted),
    )
