"""A tone, and what its complex amplitudes in the frames of a stretch say of it.

Where the phase proves steady from frame to frame, its slope refines the frequency to what the
whole stretch can give. Standard deviations follow from the noise density at the tone, as the
Cramér–Rao bound does (Rife and Boorstyn, IEEE Trans. Inf. Theory IT-20 (1974) 591–598), inflated
by the window.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.framing import Framing, effective_averages
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window

Complex = NDArray[np.complex128]
_ENOUGH = 8  # independent frames from which their own scatter tells the noise


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


@dataclass(frozen=True)
class Amplitude:
    """Peak amplitude from the mean power of the frames, less that of the noise."""

    value: float
    std: float

    @classmethod
    def of(cls, c: Complex, floor: float, framing: Framing, taper: Window) -> Amplitude:
        noise = 2 * floor  # variance of a frame's complex amplitude
        power = float(np.mean(np.abs(c) ** 2))
        value = float(np.sqrt(max(power - noise, 0.25 * power)))
        averages = effective_averages(framing, taper.name, squared=False)
        tiny = float(np.finfo(float).tiny)
        variance = noise / (2 * averages) * (1 + noise / (2 * max(value**2, tiny)))
        return cls(value, float(np.sqrt(variance)))


class Information:
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
class Course:
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
        cls, c: Complex, omega: float, density: float, framing: Framing, information: Information
    ) -> Course:
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


def tone_of(
    course: Course, level: Amplitude, framing: Framing, fs: float, information: Information
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
