"""Tones that lie within one frame's line of each other, from one transform of the whole stretch.

The bins about a peak are those of steady lines, each c·D(f−k) + c*·D(f+k) with the Dirichlet kernel
D(a) = sin πa/(N sin πa/N), f in bins, phases about the stretch's middle, and of what stronger lines
elsewhere leak: a constant and a slope. Frequencies by Gauss and Newton's method, amplitudes solved
for at each step (variable projection, Golub and Pereyra 1973); how many lines by Schwarz's
criterion (Ann. Statist. 6 (1978) 461–464) against none and against one line whose amplitude changes
slowly, as a Legendre polynomial of time (spherical Bessel functions of the frequency). It is said
only where what is left is noise.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.along import WORTH_IT
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.behaviour import Behaviour
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.tone import Tone
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array

_LONGEST = 1 << 22  # samples of a stretch that is transformed at once
_ASKED, _PARTED = 12, 4  # strongest peaks whose line is looked at; and those that are no lone line
_REACH = 8  # bins of a frame to each side that take part
_LEAST = 0.003  # of a line's amplitude, 50 dB down, from which what is beside it is asked about
_BESIDE = 3.5  # bins of a frame to each side that are a line's, under its window
_DOUBT = 0.02  # of a line's amplitude, 34 dB down, from which what is no line makes it doubtful
_MOST = 3  # lines
_ROUNDS = 20  # of a fit of two lines
_STEP = 1e-4  # bins
_APART = (0.35, 0.8)  # bins to each side of one line, from which two are tried
_PARAMETERS = 5  # that a line counts for: its frequency is sought, too
_ORDER = 8  # of the polynomial
_CHANCE = 9.0  # −ln 0.0001: that noise alone has a bin as high
_UNEVEN = 8.0  # standard deviations by which noise near the lines is more than elsewhere
_NEAR = 6.0  # bins about the lines that are held against the rest
_STANDS = 4.0  # standard deviations that each amplitude has
_EXPLAINED = 0.3  # of what one line leaves, that two leave at most
_ALIKE = 0.05  # bins by which the gaps of three lines differ that are one tone's, modulated

Bins = NDArray[np.complex128]


@dataclass(frozen=True)
class PartedLine:
    """A steady line: ``place`` and its standard deviation in bins, ``amplitude`` about the
    stretch's middle and the standard deviation of its size."""

    place: float
    place_std: float
    amplitude: complex
    amplitude_std: float


@dataclass(frozen=True, eq=False)
class _Fit:
    places: Array
    amplitudes: Bins
    squares: float
    left: Bins
    jacobian: Array


def parted(peaks: tuple[Peak, ...], spectrum: Spectrum, read: Read, fs: float) -> tuple[Peak, ...]:
    """The peaks, those that are several tones within a line in place of the one that they seemed;
    and where what is beside a line is no noise and cannot be parted, a frequency as uncertain as
    that is wide."""
    framing = spectrum.framing
    n = framing.length
    some = 2 <= framing.count < WORTH_IT  # more are passed over once, and once only
    if framing.kept is not None or n > _LONGEST or not some or not peaks:
        return peaks
    samples = read(0, n)
    if not np.isfinite(samples).all():
        return peaks
    bins = centred(samples)
    wide = n / framing.frame  # bins of a frame's bin
    strongest = sorted(peaks, key=lambda one: -one.tone.amplitude)[:_ASKED]
    changed: dict[int, tuple[Peak, ...]] = {}
    tries = 0
    for peak in strongest:
        others = [one for one in peaks if one is not peak and one.tone.steady]
        place = peak.tone.frequency * n / fs
        low = max(math.floor(place - _REACH * wide), 1)
        high = min(math.ceil(place + _REACH * wide), len(bins) - 1)
        numbers = np.arange(low, high + 1, dtype=np.float64)
        own = _without(bins[low : high + 1], numbers, others, n, fs)
        one, near = _fit([place], numbers, own, n), np.abs(numbers - place) < _BESIDE * wide
        if one is None or not near.any() or _is_alone(one, near):
            continue
        if (tries := tries + 1) > _PARTED:
            break
        # Halfway between two a line may fit worse than on the higher.
        other = _fit([float(numbers[int(np.argmax(np.abs(own)))])], numbers, own, n)
        one = other if other is not None and other.squares < one.squares else one
        lines = _several(one, numbers, own, n)
        close = [line for line in lines if abs(line.place - place) < _REACH / 2 * wide]
        listed = [x.tone.frequency * n / fs for x in peaks if x is not peak]
        new = [c for c in close if all(abs(c.place - x) > wide / 2 for x in listed)]
        if len(lines) > 1 and len(new) > 1:
            changed[id(peak)] = tuple(_peak(peak, line, n, fs, spectrum) for line in new)
        elif (
            not lines
            and (peak.tone.steady or peak.behaviour is None)
            and float(np.abs(one.left[near]).max()) > _DOUBT * abs(one.amplitudes[0])
        ):
            changed[id(peak)] = (_wider(peak, one, numbers, fs / n),)
    told = [other for peak in peaks for other in changed.get(id(peak), (peak,))]
    return tuple(sorted(told, key=lambda one: one.tone.frequency))


def centred(samples: Array) -> Bins:
    """Transform of real samples, shape (samples // 2 + 1,), scaled to a tone's peak amplitude and
    turned to the stretch's middle."""
    from scipy.fft import rfft

    n = len(samples)
    turned = np.exp(1j * np.pi * np.arange(n // 2 + 1) * ((n - 1) / n))
    return np.asarray(rfft(samples - samples.mean()) * turned * (2 / n))


def _kernel(a: Array, n: int) -> Array:
    near = np.abs(a) < 1e-9
    a = np.where(near, 0.5, a)
    return np.where(near, 1.0, np.sin(np.pi * a) / (n * np.sin(np.pi * a / n)))


def _columns(places: Sequence[float] | Array, k: Array, n: int) -> tuple[Array, Array]:
    """What unit amplitudes, real and imaginary, leave in the real and imaginary parts of the bins:
    shape (bins, lines) each. The image at −f makes them differ."""
    f = np.asarray(places, dtype=np.float64)[None, :]
    own, image = _kernel(f - k[:, None], n), _kernel(f + k[:, None], n)
    return own + image, own - image


def _background(k: Array) -> Array:
    slope = (k - k.mean()) / max(float(np.ptp(k)) / 2, 1.0)
    return np.stack([np.ones(len(k)), slope], axis=1)


def _solved(places: Array, k: Array, y: Bins, n: int) -> tuple[Bins, Bins]:
    """Amplitudes at these places, and what is left."""
    real, imaginary = _columns(places, k, n)
    back = _background(k)
    both = [np.concatenate([one, back], axis=1) for one in (real, imaginary)]
    parts = [
        np.linalg.lstsq(one, values, rcond=None)[0]
        for one, values in zip(both, (y.real, y.imag), strict=True)
    ]
    left = y - both[0] @ parts[0] - 1j * (both[1] @ parts[1])
    count = len(places)
    return parts[0][:count] + 1j * parts[1][:count], left


def _derivatives(places: Array, amplitudes: Bins, k: Array, n: int) -> Array:
    """Of the model by each of its values, shape (2·bins, values): places, real and imaginary
    amplitudes, background."""
    above, below = _columns(places + _STEP, k, n), _columns(places - _STEP, k, n)
    by_place = np.concatenate(
        [amplitudes.real * (above[0] - below[0]), amplitudes.imag * (above[1] - below[1])]
    ) / (2 * _STEP)
    real, imaginary = _columns(places, k, n)
    back, nothing = _background(k), np.zeros((len(k), len(places)))
    none = np.zeros_like(back)
    return np.concatenate(
        [
            by_place,
            np.concatenate([real, nothing]),
            np.concatenate([nothing, imaginary]),
            np.concatenate([back, none]),
            np.concatenate([none, back]),
        ],
        axis=1,
    )


def _stacked(values: Bins) -> Array:
    return np.concatenate([values.real, values.imag])


def _fit(start: Sequence[float], k: Array, y: Bins, n: int) -> _Fit | None:
    """Lines from these places on; None where they leave the bins."""
    places = np.array(start, dtype=np.float64)
    amplitudes, left = _solved(places, k, y, n)
    squares, damping = float(np.vdot(left, left).real), 1e-3
    for _ in range(_ROUNDS):
        jacobian = _derivatives(places, amplitudes, k, n)
        normal, slope = jacobian.T @ jacobian, jacobian.T @ _stacked(left)
        moved = None
        for _ in range(6):
            damped = normal + 1e-14 * np.trace(normal) * np.eye(len(normal))
            own = np.arange(len(places))
            damped[own, own] *= 1 + damping
            try:
                step = np.linalg.solve(damped, slope)[: len(places)]
            except np.linalg.LinAlgError:
                damping *= 10
                continue
            tried = places + np.clip(step, -0.5, 0.5)
            values, rest = _solved(tried, k, y, n)
            total = float(np.vdot(rest, rest).real)
            if total < squares * (1 + 1e-12):
                moved = tried, values, rest, total
                break
            damping = max(8 * damping, 1e-3)
        if moved is None:
            break
        done = squares - moved[3] < 1e-9 * squares and np.abs(moved[0] - places).max() < 1e-6
        places, amplitudes, left, squares = moved
        damping = max(damping / 8, 1e-9)
        if done:
            break
    if (places < 0.3).any() or (places < k[0] - 1).any() or (places > k[-1] + 1).any():
        return None
    return _Fit(places, amplitudes, squares, left, _derivatives(places, amplitudes, k, n))


def _floor(left: Bins) -> float:
    """Mean square of the noise in what is left, by its median."""
    return float(np.median(np.abs(left) ** 2)) / math.log(2)


def _beyond_chance(left: Bins) -> float:
    """The square that no bin of noise has."""
    return _floor(left) * (math.log(len(left)) + _CHANCE)


def _is_alone(fit: _Fit, near: NDArray[np.bool_]) -> bool:
    """Whether nothing beside a line is more than chance or worth asking about."""
    least = max(_LEAST * abs(fit.amplitudes[0]), _beyond_chance(fit.left) ** 0.5)
    return bool(np.abs(fit.left[near]).max() < least)


def _is_noise(fit: _Fit, k: Array) -> bool:
    """Whether what is left has no bin beyond chance, and no more near the lines than elsewhere."""
    power = np.abs(fit.left) ** 2
    if power.max() > _beyond_chance(fit.left):
        return False
    reach = max(_NEAR, float(np.ptp(fit.places)) + 4)
    near = np.abs(k[:, None] - fit.places[None, :]).min(axis=1) < reach
    if (~near).sum() <= 8:
        return True
    beyond = float(np.median(power[~near])) / math.log(2)
    return bool(power[near].mean() < beyond * (1 + _UNEVEN / math.sqrt(float(near.sum()))))


def _highest(left: Bins, k: Array) -> float:
    """The place of the highest line in what is left, to an eighth of a bin."""
    m, half = len(k), len(k) // 2
    short = np.fft.ifft(left)
    padded = np.zeros(8 * m, dtype=np.complex128)
    padded[:half], padded[half - m :] = short[:half], short[half:]
    fine = np.abs(np.fft.fft(padded))[: 8 * (m - 1)]
    return float(k[0] + int(np.argmax(fine)) / 8)


def _several(one: _Fit, k: Array, y: Bins, n: int) -> tuple[PartedLine, ...]:
    """The lines where there are two or more and nothing else, the middle one of three that are a
    modulated tone; () where neither can be said."""
    weight, count = 2 * len(k), math.log(2 * len(k))
    fits = [one]
    for lines in range(2, _MOST + 1):
        last = fits[-1]
        places = last.places[np.argsort(-np.abs(last.amplitudes))]
        starts = [[*places, _highest(last.left, k)]]
        if lines == 2:
            starts += [[places[0] - d, places[0] + d] for d in _APART]
        else:
            starts.append([places[0], places[1], 2 * places[0] - places[1]])
        made = [fit for start in starts if (fit := _fit(start, k, y, n)) is not None]
        if not made:
            break
        best = min(made, key=lambda fit: fit.squares)
        fits.append(best)
        if lines == 2 and best.squares > _EXPLAINED * one.squares:
            break
        if _is_noise(best, k):
            break

    def criterion(fit: _Fit) -> float:
        return weight * math.log(fit.squares) + _PARAMETERS * len(fit.places) * count

    best = min(fits, key=criterion)
    if len(best.places) < 2 or not _is_noise(best, k):
        return ()
    if _changing(one.places[0], k, y, n) < criterion(best):
        return ()
    lines_ = _with_stds(best, k)
    if any(abs(line.amplitude) < _STANDS * line.amplitude_std for line in lines_):
        return ()
    if len(lines_) == 3:
        first, second = np.diff([line.place for line in lines_])
        if abs(first - second) < _ALIKE + 4 * max(line.place_std for line in lines_):
            return (lines_[1],)  # one tone, modulated: its behaviour says so
    return lines_


def _changing(place: float, k: Array, y: Bins, n: int) -> float:
    """The criterion of one line whose amplitude changes as a polynomial of time."""
    from scipy.special import spherical_jn

    columns, best = [], math.inf
    back, none = _background(k), np.zeros((len(k), 2))
    rest = [np.concatenate([back, none]), np.concatenate([none, back])]
    values = _stacked(y)
    for order in range(_ORDER + 1):
        turn = 1j**order
        own = turn * spherical_jn(order, np.pi * (place - k))
        image = turn * spherical_jn(order, np.pi * (-place - k))
        columns += [_stacked(own + image), _stacked(1j * (own - image))]
        if not order or 2 * (order + 1) + 4 >= len(k):
            continue
        design = np.concatenate([np.stack(columns, axis=1), *rest], axis=1)
        left = values - design @ np.linalg.lstsq(design, values, rcond=None)[0]
        parameters = 2 * (order + 1) + 3
        value = 2 * len(k) * math.log(float(left @ left)) + parameters * math.log(2 * len(k))
        best = min(best, value)
    return best


def _with_stds(fit: _Fit, k: Array) -> tuple[PartedLine, ...]:
    """Its lines by rising place, with standard deviations by what is left."""
    count = len(fit.places)
    free = max(2 * len(k) - fit.jacobian.shape[1], 1)
    spread = np.linalg.pinv(fit.jacobian.T @ fit.jacobian) * (fit.squares / free)
    lines = []
    for i in np.argsort(fit.places).tolist():
        a, re, im = fit.amplitudes[i], count + i, 2 * count + i
        along = (
            a.real**2 * spread[re, re]
            + a.imag**2 * spread[im, im]
            + 2 * a.real * a.imag * spread[re, im]
        ) / abs(a) ** 2
        lines.append(
            PartedLine(
                float(fit.places[i]),
                math.sqrt(max(float(spread[i, i]), 0.0)),
                complex(a),
                math.sqrt(max(float(along), 0.0)),
            )
        )
    return tuple(lines)


def _without(bins: Bins, k: Array, others: Sequence[Peak], n: int, fs: float) -> Bins:
    """The bins of these numbers without these tones."""
    left = bins.copy()
    for one in others:
        place = one.tone.frequency * n / fs
        turn = np.radians(one.tone.phase_deg) + np.pi * place * (n - 1) / n
        amplitude = one.tone.amplitude * np.exp(1j * turn)
        if not np.isfinite(amplitude):
            continue
        real, imaginary = _columns([place], k, n)
        left -= amplitude.real * real[:, 0] + 1j * amplitude.imag * imaginary[:, 0]
    return left


def _peak(of: Peak, line: PartedLine, n: int, fs: float, spectrum: Spectrum) -> Peak:
    """A peak for one of the tones that ``of`` is."""
    frequency, size = line.place * fs / n, abs(line.amplitude)
    phase = np.degrees(np.angle(line.amplitude) - np.pi * line.place * (n - 1) / n)
    std = line.amplitude_std / size
    tone = replace(
        of.tone,
        frequency=frequency,
        frequency_std=line.place_std * fs / n,
        amplitude=size,
        amplitude_std=line.amplitude_std,
        phase_deg=float((phase + 180) % 360 - 180),
        phase_std_deg=float(np.degrees(math.hypot(std, np.pi * line.place_std))),
        steady=True,
    )
    steady = Behaviour("steady", 1.0, size, frequency, frequency)
    at = min(round(frequency / spectrum.bin_hz), len(spectrum.mean_square) - 1)
    level = max(float(spectrum.mean_square[at]), size**2 / 2)
    return replace(of, tone=tone, level=level, behaviour=of.behaviour and steady)


def _wider(peak: Peak, one: _Fit, k: Array, hz: float) -> Peak:
    """The peak with a frequency as uncertain as what is beside its line is far from it."""
    own = np.abs(one.left) ** 2
    own = np.where(own > _beyond_chance(one.left), own, 0.0)
    off = float(own @ (k - one.places[0]) ** 2) / max(float(own.sum()), 1e-300)
    share = min(float(own.sum()) / abs(one.amplitudes[0]) ** 2, 1.0)
    std = math.sqrt(off * share) * hz
    tone: Tone = peak.tone
    return replace(
        peak,
        tone=replace(
            tone,
            frequency_std=max(tone.frequency_std, std),
            amplitude_std=max(tone.amplitude_std, math.sqrt(share) * tone.amplitude),
            phase_deg=math.nan,
            phase_std_deg=math.nan,
            steady=False,
        ),
    )
