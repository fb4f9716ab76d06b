"""The complex spectrum of one frame: phase, real and imaginary part, group delay.

An averaged power spectrum has no phase. What is told here is of one frame, or of frames
averaged in step. Phase is of a cosine, with the transform e^(−iωt).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.level import Detrend
from tonecomb.core.estimate.spectrum import detrended
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window

Part = Literal["phase", "unwrapped", "real", "imaginary", "delay"]
Reference = Literal["start", "centre"]
WORTH_DB = 60.0  # below the highest bin, down to which a phase is drawn


@dataclass(frozen=True, eq=False)
class OneFrame:
    """``samples`` has shape (frame,). ``bins`` is the complex rms amplitude of a cosine in each
    bin, with its phase at the frame's start, and ``delays`` the group delay in s against the
    frame's start; both have shape (bins,). ``duration`` is the frame's in s."""

    samples: Array
    frequency: Array
    bins: NDArray[np.complex128]
    delays: Array
    duration: float

    def part(self, part: Part, reference: Reference, order: int = 0) -> Array:
        """Phase in degrees, wrapped to ±180 or not; real or imaginary part of the rms
        amplitude; or group delay in s. Shape (bins,).

        ``order`` is the power of iω by which the amplitudes were divided for display.
        """
        middle = self.duration / 2 if reference == "centre" else 0.0
        if part == "delay":
            return self.delays - middle
        turn = 2 * np.pi * self.frequency * middle - order * np.pi / 2
        turned = self.bins * np.exp(1j * turn)
        if part == "real":
            return np.asarray(turned.real)
        if part == "imaginary":
            return np.asarray(turned.imag)
        angle = np.angle(turned)
        result: Array = np.degrees(np.unwrap(angle) if part == "unwrapped" else angle)
        return result

    def worth(self, down_db: float = WORTH_DB) -> NDArray[np.bool_]:
        """Where the magnitude lies no more than this below the highest: what is weaker has a
        phase of noise and rounding. Shape (bins,)."""
        size = np.abs(self.bins)
        return np.asarray(size >= size.max() * 10 ** (-down_db / 20)) & (size > 0)


def one_frame(samples: Array, fs: float, window: Window, pad: int, detrend: Detrend) -> OneFrame:
    """Transform one frame of shape (frame,).

    The group delay −dφ/dω is Re(FT{n·x}/FT{x}) of the tapered frame x (Oppenheim and Schafer,
    Discrete-Time Signal Processing), which needs no difference of angles.
    """
    from scipy.fft import rfft

    n, weights = len(samples), window.samples(len(samples))
    tapered = detrended(samples[None, :], detrend, weights)[0] * weights
    bins = rfft(tapered, n=n * pad)
    ramp = rfft(tapered * np.arange(n), n=n * pad)
    power = bins.real**2 + bins.imag**2
    with np.errstate(divide="ignore", invalid="ignore"):
        delays = np.where(power > 0, (ramp * np.conj(bins)).real / power, np.nan) / fs
    scale = np.full(len(bins), np.sqrt(2.0))
    scale[0] = 1.0
    if n * pad % 2 == 0:
        scale[-1] = 1.0
    return OneFrame(
        samples=samples,
        frequency=np.arange(len(bins), dtype=np.float64) * (fs / (n * pad)),
        bins=np.asarray(bins * scale / weights.sum()),
        delays=np.asarray(delays),
        duration=n / fs,
    )
