"""Whatever numbers a record holds: an answer or a sentence, and no warning of a library."""

from __future__ import annotations

import numpy as np
import pytest
from tests.support import recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.method.method import default_method
from tonecomb.core.method.searches import Fit
from tonecomb.formats import output

N = 4096
T = np.arange(N) / 1000.0
WAVE, NOISE = np.sin(60 * T), np.random.default_rng(0).standard_normal(N)
SAMPLES = {
    "zeros": np.zeros(N),
    "ones": np.ones(N),
    "smallest": np.full(N, 5e-324),
    "1e150": 1e150 * WAVE,
    "1e-150": 1e-150 * WAVE,
    "1e300": 1e300 * WAVE,
    "1e60": 1e60 * WAVE,
    "denormals": 5e-324 * np.round(1e3 * WAVE),
    "one": np.ones(1),
    "two": np.array([1.0, -1.0]),
    "three": np.array([0.0, 1.0, 0.0]),
    "impulse": np.eye(1, N, 2000)[0],
    "step": 1.0 * (T > 2),
    "loud and soft": np.where(T > 2, 1e200, 1e-200) * NOISE,
    "soft noise": 1e-160 * NOISE,
    "far off zero": 1e16 + WAVE,
    "ramp": 1e100 * T,
}
SETTINGS = (
    (
        {
            "fits": (Fit(20.0, 200.0),),
            "tracks": (Wanted(5, 200, (1, 2)),),
            "bands": (Band(10, 100),),
        },
        {"hits": True, "cepstrum": True, "shock": (10.0, 12)},
    ),
    ({"window": "rectangular", "detrend": "none", "scaling": "psd"}, {}),
    ({"between": FrfSettings(0, low=10, high=300)}, {}),
    ({"between": FrfSettings(0, hits=False, low=10, high=300)}, {}),
    ({"between": FrfSettings(None, low=10, high=300)}, {}),
)


@pytest.mark.parametrize("name", SAMPLES)
def test_an_answer_or_a_sentence(name: str) -> None:
    x = SAMPLES[name]
    of = recording(x, 0.5 * np.roll(x, 3))
    for settings, asked in SETTINGS:
        try:
            found = tonecomb.analyse(of, default_method(of).having(**settings), asked=asked)
        except UserError:
            continue
        assert found.text() and output.dumps(found.values())
        for table in found.tables():
            assert table.csv()


def test_a_square_wave_at_the_nyquist_frequency_has_no_tones_of_rounding() -> None:
    found = tonecomb.analyse(recording(np.where(np.arange(8192) % 2, 1.0, -1.0)))
    assert found.peaks == () and found.combs == ()
