"""Each caution speaks when it must, is silent when it must not, and its remedy helps."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.support import recording

from tonecomb.core.estimate.averages import Highest, Single
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Array, Problem, Recording, Stretch
from tonecomb.core.record.windows import WINDOWS
from tonecomb.core.results.confidence import confidence_db
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.results.search import run
from tonecomb.core.say.caution import Caution
from tonecomb.core.say.cautions import cautions, short_stretch

FS = 1000.0
T = np.arange(40_000) / FS
RNG = np.random.default_rng(11)
NOISE = 0.01 * RNG.normal(size=len(T))
# Quiet near the Nyquist frequency, as behind a filter.
QUIET = np.convolve(NOISE, np.hanning(9) / np.hanning(9).sum(), mode="same")


def tone(f: float, amplitude: float = 1.0) -> Array:
    return amplitude * np.cos(2 * np.pi * f * T + 0.3)


def said(x: Array | Recording, method: Method, unit: str = "m/s²") -> dict[str, Caution]:
    made = x if isinstance(x, Recording) else recording(x, fs=FS, unit=unit)
    return {one.code: one for one in cautions(run(method, made), made)}


CALM = Method.of(frame=2000, scaling="psd")
AMPLITUDE = Method.of(frame=2000)
CLIPPED = np.where(abs(T - 9) < 1, 1.0, 0.8) * np.clip(1.3 * tone(37.013), -1, 1) + 0.0


def struck(rate: float) -> Array:
    """Hits that slip a little, each ringing at 310 Hz."""
    gaps = (1 + 0.01 * np.random.default_rng(4).normal(size=round(41 * rate))) / rate
    since = T - np.insert(np.cumsum(gaps), 0, 0.0)[np.searchsorted(np.cumsum(gaps), T)]
    return 0.3 * np.exp(-since / 0.01) * np.sin(2 * np.pi * 310 * since)


# code: (what provokes it, what does not, words that its sentence holds)
CASES = {
    "clipped": ((CLIPPED, AMPLITUDE), (tone(37.013), AMPLITUDE), "samples stand at the recorder"),
    "alias-risk": (
        (QUIET + tone(489.0, 0.2), AMPLITUDE),
        (QUIET + tone(189.0), AMPLITUDE),
        "within 5 % of the Nyquist frequency of 500 Hz",
    ),
    "one-frame": (
        (QUIET, AMPLITUDE.having(average=Single())),
        (QUIET, AMPLITUDE),
        "Only 2 s of the 40 s chosen are analysed (5 %)",
    ),
    "overlap-gap": (
        (QUIET, AMPLITUDE.having(overlap=0.0)),
        (QUIET, AMPLITUDE),
        "With 0 % overlap the Hann window hardly looks at 37 % of the record",
    ),
    "padding": ((QUIET, AMPLITUDE.having(pad=4)), (QUIET, AMPLITUDE), "closer than 1 Hz still"),
    "unresolved": (
        (QUIET + tone(100.0) + tone(100.83, 0.8), AMPLITUDE),
        (QUIET + tone(100.0) + tone(104.0), AMPLITUDE),
        "closer than the 1 Hz that",
    ),
    "scalloping": (
        (QUIET + tone(100.25), AMPLITUDE.having(average=Highest())),
        (QUIET + tone(100.25), AMPLITUDE),
        "reads 1.4 dB low",
    ),
    "offset": (
        (QUIET + tone(5) + 50, AMPLITUDE.having(detrend="none")),
        (QUIET + tone(5) + 50, AMPLITUDE),
        "The offset of 50 m/s² is 70.7 times",
    ),
    "hum": (
        (QUIET + tone(50, 0.3) + tone(150, 0.1) + tone(250, 0.05), AMPLITUDE),
        (QUIET + tone(51, 0.3) + tone(153, 0.1), AMPLITUDE),
        "Peaks at 50, 150, 250 Hz",
    ),
    "low-averages": (
        (NOISE, CALM.having(frame=10_000)),
        (NOISE, CALM.having(frame=500)),
        "effective averages",
    ),
    "nonstationary": (
        (NOISE * (1 + 3 * (T > 20)), AMPLITUDE),
        (NOISE, AMPLITUDE),
        "changes by 12 dB over the stretch",
    ),
    "hits": (
        (QUIET + struck(7.3), AMPLITUDE),
        (QUIET + tone(310.0), AMPLITUDE),
        "times a second and ring from",
    ),
}


@pytest.mark.parametrize("code", CASES)
def test_speaks_and_is_silent(code: str) -> None:
    (wrong, method), (right, calm), words = CASES[code]
    told = said(wrong, method)
    assert code in told
    assert words in told[code].text
    assert told[code].text.endswith(".")
    assert code not in said(right, calm)


@pytest.mark.parametrize(
    "code", [c for c in CASES if c not in ("alias-risk", "hum", "nonstationary")]
)
def test_the_remedy_is_one_method_that_helps(code: str) -> None:
    (wrong, method), _, _ = CASES[code]
    told = said(wrong, method)[code]
    assert told.remedy
    assert told.edit is not None
    assert told.edit(method) != method
    assert code not in said(wrong, told.edit(method))


def test_a_stretch_shorter_than_a_frame() -> None:
    made = recording(QUIET, fs=FS)
    method = Method.of(stretch=Stretch(1.0, 2.5), frame=2000)
    told = short_stretch(method, made)
    assert told is not None
    assert told.code == "short-stretch"
    assert told.text.startswith("The stretch of 1.5 s is shorter than a frame (2000 samples, 2 s)")
    assert told.edit is not None
    assert run(told.edit(method), made).resolution.frames == 1, "the longest power of two that fits"
    assert short_stretch(told.edit(method), made) is None


@pytest.mark.parametrize("name", [n for n, w in WINDOWS.items() if w.overlap >= 50])
def test_the_recommended_overlap_leaves_no_gap(name: str) -> None:
    method = Method.of(frame=1000, window=name, overlap=0.0)
    told = said(QUIET, method)["overlap-gap"]
    assert told.edit is not None
    assert told.edit(method).frames.overlap == WINDOWS[name].overlap
    assert "overlap-gap" not in said(QUIET, told.edit(method))


def test_a_clean_analysis_needs_no_caution() -> None:
    assert said(QUIET + tone(100.0), Method.of(frame=1000)) == {}


def test_what_is_known_of_the_recording_comes_along() -> None:
    made = recording(QUIET + tone(100.0), fs=FS, unit="FS")
    made = replace(made, problems=(Problem("gaps", "A gap of 2 s."),))
    told = said(made, Method.of(frame=1000))
    assert list(told) == ["gaps", "uncalibrated"]
    assert told["gaps"].text == "A gap of 2 s."


def test_too_short_to_help() -> None:
    """Where no method would, none is offered, and the sentence says so."""
    x = QUIET + tone(100.0) + tone(100.45)
    method = Method.of(stretch=Stretch(0, 8.5), frame=2100, window="flat-top", overlap=75.0)
    told = said(x, method).get("unresolved")
    assert told is not None
    assert told.edit is None
    assert "the stretch is too short" in told.text
    low = said(NOISE, Method.of(stretch=Stretch(0, 0.5), frame=250, scaling="psd"))["low-averages"]
    assert low.edit is None
    assert "only a longer stretch" in low.text


@pytest.mark.parametrize("overlap", [0.0, 50.0, 75.0])
def test_the_confidence_band_covers_as_often_as_it_says(overlap: float) -> None:
    """95 % bands over 1,000 noise records, at a few bins each: 93 to 97 %."""
    rng = np.random.default_rng(5)
    inside = []
    for _ in range(1000):
        x = rng.normal(size=8192)
        method = Method.of(frame=512, overlap=overlap, scaling="psd")
        estimate = run_spectrum(method, recording(x, fs=2.0)).spectrum
        low, high = confidence_db(estimate.effective_averages)
        measured = 10 * np.log10(estimate.values("psd", "rms")[20:240:20])  # the truth is 0 dB
        inside.append((measured + low <= 0) & (measured + high >= 0))
    assert 0.93 <= np.mean(inside) <= 0.97
