"""Window figures against Harris 1978 and Heinzel et al. 2002, and against the samples."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal

from tonecomb.core.windows import WINDOWS, window

# name: coherent gain, ENBW (bins), scalloping (dB), −3 dB and −6 dB width (bins), main lobe
PRINTED = {
    "rectangular": (1.00, 1.00, 3.92, 0.89, 1.21, 2),
    "hann": (0.50, 1.50, 1.42, 1.44, 2.00, 4),
    "hamming": (0.54, 1.36, 1.78, 1.30, 1.81, 4),
    # Harris prints 2.72 for the −6 dB width; the transform of his coefficients gives 2.67.
    "blackman-harris": (0.36, 2.00, 0.83, 1.90, 2.67, 8),
}


@pytest.mark.parametrize(("name", "figures"), PRINTED.items())
def test_figures_are_those_of_harris(name: str, figures: tuple[float, ...]) -> None:
    w = window(name)
    gain, enbw, scalloping, three, six, lobe = figures
    assert w.coherent_gain == pytest.approx(gain, abs=0.006)
    assert w.enbw == pytest.approx(enbw, abs=0.006)
    # Harris prints 1.78 dB for Hamming from the rounded 0.54; the window itself gives 1.75.
    assert w.scalloping_db == pytest.approx(scalloping, abs=0.035)
    assert w.width_3db == pytest.approx(three, abs=0.011)
    assert w.width_6db == pytest.approx(six, abs=0.011)
    assert w.main_lobe == lobe


def test_flat_top_is_hft95() -> None:
    w = window("flat-top")
    assert w.enbw == pytest.approx(3.8112, abs=5e-5)
    assert w.width_3db == pytest.approx(3.7590, abs=2e-4)
    assert abs(w.scalloping_db) < 0.0044
    lobes = w.transform(np.linspace(w.main_lobe / 2, 40, 40001))
    assert 20 * np.log10(lobes.max()) == pytest.approx(-95.0, abs=0.1)


@pytest.mark.parametrize("name", WINDOWS)
@pytest.mark.parametrize("length", [64, 101, 4096])
def test_figures_describe_the_samples(name: str, length: int) -> None:
    w = window(name)
    samples = w.samples(length)
    assert samples.mean() == pytest.approx(w.coherent_gain, rel=1e-12)
    assert length * (samples @ samples) / samples.sum() ** 2 == pytest.approx(w.enbw, rel=1e-12)
    assert samples[1:] == pytest.approx(samples[1:][::-1], abs=1e-12)  # symmetric about N/2
    n = np.arange(length)
    for offset in (0.37, w.width_3db / 2, w.width_6db / 2, 2.6):
        direct = abs(np.sum(samples * np.exp(-2j * np.pi * offset * n / length))) / samples.sum()
        assert w.transform(offset) == pytest.approx(direct, abs=3 / length)


@pytest.mark.parametrize(
    ("name", "theirs"),
    [("rectangular", "boxcar"), ("hann", "hann"), ("hamming", "hamming"),
     ("blackman-harris", "blackmanharris")],
)  # fmt: skip
def test_samples_agree_with_the_library(name: str, theirs: str) -> None:
    expected = scipy.signal.get_window(theirs, 257, fftbins=True)
    np.testing.assert_allclose(window(name).samples(257), expected, atol=1e-12)
