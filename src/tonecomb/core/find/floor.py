"""The local noise floor of an averaged spectrum."""

from __future__ import annotations

import numpy as np

from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.record.recording import Array

QUANTILE = 0.3  # below the median, so that many tones in the neighbourhood do not lift it


def noise_floor(spectrum: Spectrum) -> Array:
    """Mean square per bin of the noise around each bin, in unit², shape (bins,).

    A running quantile of the spectrum, divided by the same quantile of a unit-mean χ² variable
    with two degrees of freedom for each effective average.
    """
    from scipy.ndimage import percentile_filter
    from scipy.special import gammaincinv

    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    bins = len(spectrum.mean_square)
    width = min(int(np.clip(bins / 32, 41 * pad, 401 * pad)), max(bins // 2, 1)) | 1
    nu = spectrum.effective_averages
    running = percentile_filter(spectrum.mean_square, 100 * QUANTILE, size=width, mode="reflect")
    return running / (gammaincinv(nu, QUANTILE) / nu)


def significance(spectrum: Spectrum, chance: float = 0.02) -> float:
    """Ratio to the floor that noise alone exceeds somewhere in the spectrum with ``chance``."""
    from scipy.special import gammainccinv

    nu = spectrum.effective_averages
    return float(gammainccinv(nu, chance / len(spectrum.mean_square)) / nu)
