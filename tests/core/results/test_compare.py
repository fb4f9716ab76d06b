"""One trace against another: of other length, unit and channel."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import estimated, recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.method import Method
from tonecomb.core.results.compare import compare

FS, N = 1000.0, 60_000
NOISE = np.random.default_rng(8).normal(size=N)


@given(
    gain=st.floats(0.01, 100),
    frame=st.sampled_from([500, 1000, 2000]),
    scaling=st.sampled_from(["amplitude", "power", "psd", "amplitude-density"]),
    drawn=st.sampled_from(["bins", "octave", "total"]),
)
def test_a_louder_trace(gain: float, frame: int, scaling: str, drawn: str) -> None:
    """Same noise, louder by a known factor, and in another unit of the same quantity."""
    display = Display(drawn=drawn)  # type: ignore[arg-type]
    method = Method.of(frame=frame, scaling=scaling, display=display)  # type: ignore[arg-type]
    loud = estimated(method, recording(gain * NOISE, fs=FS, unit="m/s²"))
    plain = estimated(method, recording(1e3 * NOISE, fs=FS, unit="mm/s²"))
    found = compare(loud, plain)
    first = 1 if drawn == "bins" else 0  # at 0 Hz there is nothing, without the mean
    np.testing.assert_allclose(found.ratio_db[first:], 20 * np.log10(gain), atol=1e-6)
    squared = (scaling in ("power", "psd") and drawn != "total") or scaling == "power"
    factor = gain**2 - 1 if squared else gain - 1
    wanted = factor * plain.curve.values * (1e-6 if squared else 1e-3)
    np.testing.assert_allclose(found.difference, wanted, rtol=1e-6, atol=1e-12)


@pytest.mark.parametrize("scaling", ["psd", "amplitude-density"])
@pytest.mark.parametrize("frames", [(500, 4000), (4000, 500), (1000, 1300)])
def test_different_frames(frames: tuple[int, int], scaling: str) -> None:
    """Densities of one noise agree on the coarser bins; a tone's amplitude is kept."""
    density = [
        estimated(Method.of(frame=n, scaling=scaling), recording(NOISE, fs=FS))  # type: ignore[arg-type]
        for n in frames
    ]
    found = compare(*density)
    assert len(found.frequency) == min(frames) // 2 + 1
    assert np.mean(found.ratio_db[3:-3]) == pytest.approx(0, abs=0.12)
    assert np.abs(found.ratio_db[3:-3]).max() < 3
    y = tone(N, 100, 1000, 3.0) + 1e-3 * NOISE
    tones = [estimated(Method.of(frame=n, window="flat-top"), recording(y, fs=FS)) for n in frames]
    at = compare(*tones)
    assert at.ratio_db[np.argmin(abs(at.frequency - 100))] == pytest.approx(0, abs=0.02)


def test_what_cannot_be_compared_is_said() -> None:
    a, b = (estimated(Method.of(frame=500), recording(NOISE, fs=FS, unit=u)) for u in ("N", "V"))
    with pytest.raises(UserError, match="V cannot be converted into N"):
        compare(a, b)
    octave = Method.of(frame=500, display=Display(drawn="octave", bands=1))
    high = estimated(octave, recording(NOISE, fs=FS))
    low = estimated(octave, recording(NOISE, fs=0.1))
    with pytest.raises(UserError, match="share no band"):
        compare(high, low)
