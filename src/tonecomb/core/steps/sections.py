"""Second-order sections of recursive filters: designed, checked, and what they do.

The only module that asks ``scipy.signal``, for the prototypes' poles and for running sections; see
Oppenheim and Schafer, Discrete-Time Signal Processing, 7.1 (bilinear transform) and 6.3 (sections).
Edges are those of the whole filter: what runs forward and backward, without delay, is designed so
that both ways together have the level stated there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array

Family = Literal["butterworth", "chebyshev-1", "chebyshev-2", "elliptic", "bessel"]
Shape = Literal["lowpass", "highpass", "bandpass", "bandstop"]

FAMILIES: dict[Family, str] = {
    "butterworth": "Butterworth",
    "chebyshev-1": "Chebyshev I",
    "chebyshev-2": "Chebyshev II",
    "elliptic": "elliptic",
    "bessel": "Bessel",
}
_PROTOTYPES: dict[Family, str] = {
    "butterworth": "butter",
    "chebyshev-1": "cheby1",
    "chebyshev-2": "cheby2",
    "elliptic": "ellip",
}
MOST_ORDER = 24  # that a double can hold
_EDGE_DB = 10 * math.log10(2)  # twice 3.01 dB: an edge is where half of the power passes
_PRECISE_DB = 0.01  # what rounding may change
_NEAREST = 4e-7  # of a pole to the unit circle: nearer, running it loses too many digits


@dataclass(frozen=True)
class Design:
    """A filter that is asked for: edges in Hz (one, or two that rise), its order, the ripple of
    the pass band and the attenuation of the stop band in dB where its family has them."""

    shape: Shape
    edges: tuple[float, ...]
    order: int = 4
    family: Family = "butterworth"
    ripple: float = 0.5
    attenuation: float = 60.0
    zero_phase: bool = True


@dataclass(frozen=True, eq=False)
class Sections:
    """``sos`` as :func:`scipy.signal.sosfilt` has them, shape (sections, 6); run forward only, or
    with ``zero_phase`` forward and backward. ``radius`` is that of the outermost pole."""

    sos: Array
    zero_phase: bool
    radius: float

    def response(self, frequency: Array, fs: float) -> NDArray[np.complex128]:
        """Gain at these frequencies (Hz), real where there is no delay."""
        z = np.exp(-2j * np.pi * np.asarray(frequency, dtype=np.float64) / fs)
        powers = np.stack([np.ones_like(z), z, z**2])
        gain = np.prod((self.sos[:, :3] @ powers) / (self.sos[:, 3:] @ powers), axis=0)
        return np.asarray(np.abs(gain) ** 2 + 0j if self.zero_phase else gain)

    def settled(self, rest: float) -> int:
        """Samples after which only ``rest`` of what was before is left: ln(1/rest)/(−ln r)."""
        return math.ceil(math.log(1 / rest) / -math.log(self.radius)) if self.radius > 0 else 1


def refused(what: str, why: str, remedy: str) -> UserError:
    """A filter that cannot be."""
    return UserError(what, why, remedy)


def get_ready() -> None:
    """Load what filters are designed with, which takes a second, before one is wanted."""
    import scipy.signal  # noqa: F401


@lru_cache(maxsize=64)
def designed(design: Design, fs: float) -> Sections:
    """The sections of a filter; :class:`UserError` says why it cannot be."""
    _check(design, fs)
    from scipy import signal

    passes = 2 if design.zero_phase else 1
    ripple, attenuation = design.ripple / passes, design.attenuation / passes
    if design.family in ("chebyshev-2", "elliptic") and attenuation <= ripple:
        raise refused(
            f"A stop band only {design.attenuation:g} dB down cannot be",
            f"the pass band may already ripple by {design.ripple:g} dB",
            "give the stop band more",
        )
    edges = _moved(design, fs) if design.zero_phase else design.edges
    wanted = edges[0] if len(edges) == 1 else edges
    try:
        if design.family == "bessel":  # 3 dB down at its edge, which the general way puts elsewhere
            zpk = signal.bessel(design.order, wanted, design.shape, output="zpk", norm="mag", fs=fs)
        else:
            zpk = signal.iirfilter(
                design.order,
                wanted,
                ripple,
                attenuation,
                design.shape,
                ftype=_PROTOTYPES[design.family],
                output="zpk",
                fs=fs,
            )
    except ValueError as error:
        raise refused("This filter cannot be designed", str(error), "try a lower order") from error
    return _checked(zpk, design.zero_phase, fs)


def notch(frequency: float, width: float, zero_phase: bool, fs: float) -> Sections:
    """Nothing at ``frequency``, half the power at ``width``/2 beside it, in Hz.

    A zero on the unit circle and a pole within it (Orfanidis, Introduction to Signal Processing,
    11.3); both ways together have that width.
    """
    if not 0 < frequency < fs / 2:
        raise refused(
            f"A notch at {frequency:g} Hz lies outside the record's frequencies",
            f"they end at {fs / 2:g} Hz, the Nyquist frequency",
            "choose one below it",
        )
    least = min(frequency, fs / 2 - frequency)
    if not 0 < width < 2 * least:
        raise refused(
            f"A notch {width:g} Hz wide at {frequency:g} Hz cannot be",
            "it would reach 0 Hz or the Nyquist frequency",
            f"keep it below {2 * least:.4g} Hz",
        )
    # |1 − g|² = ½ at the edge for one pass; for both together |1 − g|⁴ = ½.
    part = math.sqrt(math.sqrt(2) - 1) if zero_phase else 1.0
    w0, half = 2 * math.pi * frequency / fs, part * math.tan(math.pi * width / fs)
    gain = 1 / (1 + half)
    cosine = math.cos(w0)
    sos = np.array([[gain, -2 * gain * cosine, gain, 1.0, -2 * gain * cosine, 2 * gain - 1]])
    radius = float(np.abs(np.roots(sos[0, 3:])).max())
    if not 0 < radius < 1 - _NEAREST:
        raise refused(
            f"A notch {width:g} Hz wide at {fs:g} Hz is below what double precision holds",
            "its poles lie on the unit circle",
            "choose a wider one, or decimate first",
        )
    return Sections(sos, zero_phase, radius)


def _check(design: Design, fs: float) -> None:
    nyquist = fs / 2
    if not 1 <= design.order <= MOST_ORDER:
        raise refused(
            f"A filter of order {design.order} cannot be",
            "an order is how many poles roll it off",
            f"choose 1 to {MOST_ORDER}",
        )
    for edge in design.edges:
        if not 0 < edge < nyquist:
            raise refused(
                f"An edge at {edge:g} Hz lies outside the record's frequencies",
                f"they end at {nyquist:g} Hz, the Nyquist frequency",
                f"choose one above 0 and below {nyquist:g} Hz",
            )
    if len(design.edges) == 2 and not design.edges[0] < design.edges[1]:
        raise refused(
            f"A band from {design.edges[0]:g} to {design.edges[1]:g} Hz cannot be",
            "its lower edge is not below its upper one",
            "turn them around",
        )
    for what, value in (("ripple", design.ripple), ("attenuation", design.attenuation)):
        if not 0 < value <= 300:
            raise refused(
                f"A {what} of {value:g} dB cannot be used", "", "choose one above 0 and up to 300"
            )


def _warped(edges: tuple[float, ...], fs: float) -> list[float]:
    return [2 * fs * math.tan(math.pi * edge / fs) for edge in edges]


def _moved(design: Design, fs: float) -> tuple[float, ...]:
    """Edges for one way, so that both together are 3 dB down at the edges asked for."""
    if design.family == "butterworth":
        scale = (math.sqrt(2) - 1) ** (-0.5 / design.order)
    elif design.family == "bessel":
        scale = _bessel_scale(design.order)
    else:
        return design.edges  # their edge is where the ripple or the stop band ends
    w = _warped(design.edges, fs)
    if design.shape in ("lowpass", "highpass"):
        made = [w[0] * scale if design.shape == "lowpass" else w[0] / scale]
    else:
        width = (w[1] - w[0]) * (scale if design.shape == "bandpass" else 1 / scale)
        middle = math.hypot(width / 2, math.sqrt(w[0] * w[1]))
        made = [middle - width / 2, middle + width / 2]
    return tuple(fs / math.pi * math.atan(one / (2 * fs)) for one in made)


@lru_cache(maxsize=32)
def _bessel_scale(order: int) -> float:
    """By how much a Bessel prototype's 3-dB edge lies above its 1.5-dB one."""
    from scipy import optimize, signal

    _, poles, gain = signal.besselap(order, norm="mag")

    def over(w: float) -> float:
        return float(20 * np.log10(abs(gain / np.prod(1j * w - poles))) + _EDGE_DB / 2)

    return 1 / float(optimize.brentq(over, 1e-3, 1.0))


def _checked(zpk: tuple[Array, Array, float], zero_phase: bool, fs: float) -> Sections:
    """Sections of zeros, poles and gain; :class:`UserError` where rounding spoils them."""
    from scipy import signal

    zeros, poles, gain = zpk
    radius = float(np.abs(poles).max(initial=0.0))
    sos = signal.zpk2sos(zeros, poles, gain)
    sections = Sections(np.asarray(sos), False, radius)
    # Exact to rounding from the zeros and poles, which lie far enough from the unit circle.
    turn = np.concatenate([np.geomspace(1e-7, 0.5, 400), np.angle(poles) / (2 * np.pi)])
    turn = np.abs(turn)
    z = np.exp(2j * np.pi * turn)[:, None]
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        exact = gain * np.prod(z - zeros, axis=1) / np.prod(z - poles, axis=1)
        values = sections.response(turn, 1.0)
        off = np.abs(values / exact - 1)[np.abs(exact) > 0.03]
    inside = max(float(np.abs(np.roots(one[3:])).max(initial=0.0)) for one in sos)
    if (
        not np.isfinite(off).all()
        or not 0 <= inside < 1
        or radius > 1 - _NEAREST
        or off.max(initial=0.0) > _PRECISE_DB * math.log(10) / 20
    ):
        raise refused(
            "This filter is more than double precision holds",
            f"its edge is too low for {fs:g} Hz, or its order too high",
            "decimate first, choose a wider band or a lower order",
        )
    return Sections(sections.sos, zero_phase, radius)
