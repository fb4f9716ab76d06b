"""Window figures against Harris 1978 and Heinzel et al. 2002, and against the samples."""

from __future__ import annotations

import math

import numpy as np
import pytest
import scipy.signal
from hypothesis import given
from hypothesis import strategies as st

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.windows import FAMILIES, WINDOWS, window

# Harris, table 1: highest side lobe (dB), coherent gain, ENBW (bins), −3 dB width (bins),
# scalloping (dB), −6 dB width (bins). None where what he prints is not what his formula gives:
# his exact Blackman, his Gaussians, and his widths of the Blackman–Harris windows.
PRINTED = {
    "rectangular": (-13, 1.00, 1.00, 0.89, 3.92, 1.21),
    "triangular": (-27, 0.50, 1.33, 1.28, 1.82, 1.78),
    "hann": (-32, 0.50, 1.50, 1.44, 1.42, 2.00),
    "hamming": (-43, 0.54, 1.36, 1.30, 1.78, 1.81),
    "blackman": (-58, 0.42, 1.73, 1.68, 1.10, 2.35),
    "blackman-harris-3": (-71, 0.42, 1.71, 1.66, 1.13, None),
    "blackman-harris": (-92, 0.36, 2.00, 1.90, 0.83, None),
    "tukey:0.5": (-15, 0.75, 1.22, 1.15, 2.24, 1.57),
    "chebyshev:50": (-50, 0.53, 1.39, 1.33, 1.70, 1.85),
    "chebyshev:60": (-60, 0.48, 1.51, 1.44, 1.44, 2.01),
    "chebyshev:70": (-70, 0.45, 1.62, 1.55, 1.25, 2.17),
    "chebyshev:80": (-80, 0.42, 1.73, 1.65, 1.10, 2.31),
    "kaiser:6.2831853": (-46, 0.49, 1.50, 1.43, 1.46, 1.99),
    "kaiser:9.4247780": (-69, 0.40, 1.80, 1.71, 1.02, 2.39),
}


@pytest.mark.parametrize(("name", "figures"), PRINTED.items())
def test_figures_are_those_of_harris(name: str, figures: tuple[float, ...]) -> None:
    w = window(name)
    lobe, gain, enbw, three, scalloping, six = figures
    assert w.highest_side_lobe_db == pytest.approx(lobe, abs=1.3)
    # He rounds to two digits, some by cutting them off.
    assert w.coherent_gain == pytest.approx(gain, abs=0.015)
    assert w.enbw == pytest.approx(enbw, abs=0.016)
    assert w.width_3db == pytest.approx(three, abs=0.045)
    assert w.scalloping_db == pytest.approx(scalloping, abs=0.035)
    if six is not None:
        assert w.width_6db == pytest.approx(six, abs=0.06)


# Heinzel et al., appendix: ENBW, −3 dB width (bins), flatness (dB), highest side lobe (dB).
HEINZEL = {
    "rectangular": (1.0, 0.8845, -3.9224, -13.3),
    "hann": (1.5, 1.4382, -1.4236, -31.5),
    "hamming": (1.3628, 1.3008, -1.7514, -42.7),
    "blackman-harris": (2.0044, 1.8962, -0.8256, -92.0),
    "nuttall": (1.9761, 1.8687, -0.8506, -98.1),
    "flat-top-70": (3.4129, 3.3720, 0.0065, -70.4),
    "flat-top": (3.8112, 3.7590, 0.0044, -95.0),
    "flat-top-144": (4.5386, 4.4697, 0.0021, -144.1),
}


@pytest.mark.parametrize(("name", "figures"), HEINZEL.items())
def test_figures_are_those_of_heinzel(name: str, figures: tuple[float, ...]) -> None:
    w = window(name)
    enbw, width, flatness, lobe = figures
    assert w.enbw == pytest.approx(enbw, abs=6e-5)
    assert w.width_3db == pytest.approx(width, abs=2e-4)
    # The flat-tops rise a little before they fall: what counts is the largest deviation.
    inside = 20 * np.log10(w.transform(np.linspace(0, 0.5, 501)))
    assert np.abs(inside).max() == pytest.approx(abs(flatness), abs=1.1e-4)
    assert w.highest_side_lobe_db == pytest.approx(lobe, abs=0.11)


@pytest.mark.parametrize("sigma", [0.2, 0.4, 0.7])
def test_gaussians_are_those_of_the_integrals(sigma: float) -> None:
    """Harris prints 1.39 for σ = 1/2.5; the integrals over the frame give 1.446."""
    square = sigma * np.sqrt(np.pi) * math.erf(1 / sigma) / 2
    plain = sigma * np.sqrt(2 * np.pi) * math.erf(1 / (sigma * np.sqrt(2))) / 2
    w = window(f"gaussian:{sigma}")
    assert w.coherent_gain == pytest.approx(plain, rel=2e-3)
    assert w.enbw == pytest.approx(square / plain**2, rel=2e-3)


def test_side_lobes_fall_as_their_ends_are_smooth() -> None:
    wanted = {"rectangular": 6, "triangular": 12, "hann": 18, "hamming": 6, "blackman": 18}
    for name, fall in wanted.items():
        assert window(name).fall_off_db == pytest.approx(fall, abs=1.5)


SIZES = [(name, n) for name, w in WINDOWS.items() for n in (64, 101, 4096) if w.terms or n > 1000]


@pytest.mark.parametrize(("name", "length"), SIZES)
def test_figures_describe_the_samples(name: str, length: int) -> None:
    w = window(name)
    samples = w.samples(length)
    close = 1e-12 if w.terms else 40 / length
    assert samples.mean() == pytest.approx(w.coherent_gain, rel=close)
    assert length * (samples @ samples) / samples.sum() ** 2 == pytest.approx(w.enbw, rel=close)
    if not name.startswith(("exponential", "force", "chebyshev")):
        assert samples[1:] == pytest.approx(samples[1:][::-1], abs=1e-9)  # symmetric about N/2
    n = np.arange(length)
    for offset in (0.37, w.width_3db / 2, w.width_6db / 2, 2.6):
        direct = abs(np.sum(samples * np.exp(-2j * np.pi * offset * n / length))) / samples.sum()
        assert w.transform(offset) == pytest.approx(
            direct, abs=3 / length + (1e-5 if w.terms else 5e-3)
        )


@pytest.mark.parametrize(
    ("name", "theirs"),
    [
        ("rectangular", "boxcar"),
        ("hann", "hann"),
        ("hamming", "hamming"),
        ("blackman", "blackman"),
        ("blackman-harris", "blackmanharris"),
        ("nuttall", "nuttall"),
        ("kaiser:8.6", ("kaiser", 8.6)),
        ("chebyshev:80", ("chebwin", 80)),
        ("tukey:0.5", ("tukey", 0.5)),
        ("gaussian:0.4", ("gaussian", 0.4 * 128)),
    ],
)
@pytest.mark.parametrize("length", [256, 257])
def test_samples_agree_with_the_library(name: str, theirs: object, length: int) -> None:
    if name.startswith("gaussian"):
        theirs = ("gaussian", 0.4 * length / 2)
    expected = scipy.signal.get_window(theirs, length, fftbins=True)
    if name == "nuttall":  # the library's is another of Nuttall's
        expected = scipy.signal.windows.general_cosine(length, window(name).terms, sym=False)
    if name.startswith("chebyshev"):  # ours keeps both its ends
        expected = scipy.signal.windows.chebwin(length, 80)
    np.testing.assert_allclose(window(name).samples(length), expected, atol=1e-9)


@given(st.sampled_from(sorted(FAMILIES)), st.floats(0, 1))
def test_every_member_of_a_family(word: str, share: float) -> None:
    family = FAMILIES[word]
    value = family.low + share * (family.high - family.low)
    w = window(f"{word}:{value:.6g}")
    samples = w.samples(512)
    assert np.isfinite(samples).all()
    assert 0.99 < samples.max() <= 1 + 1e-9
    assert w.enbw >= 1 - 1e-9
    assert 0 <= w.overlap <= 80
    assert w.width_3db <= w.width_6db
    assert w.main_lobe > 0
    assert not w.weighs, "tones are then fitted under another window"
    assert window(w.name).name == w.name


@pytest.mark.parametrize("name", ["", "hanning", "hann:2", "kaiser:", "kaiser:x", "kaiser:nan"])
def test_windows_that_do_not_exist(name: str) -> None:
    if name == "kaiser:":
        assert window(name) is WINDOWS["kaiser"]
        return
    with pytest.raises(UserError, match=r"no window called|cannot be used"):
        window(name)


def test_a_value_out_of_range_is_refused() -> None:
    with pytest.raises(UserError, match="Kaiser window with β = 99 cannot be used; choose a value"):
        window("kaiser:99")
