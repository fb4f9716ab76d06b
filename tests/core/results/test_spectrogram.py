"""Spectrograms: every frame counts, whatever the picture's size."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording, tone

from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import Detrend, detrended
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.windows import window
from tonecomb.core.results.spectrogram import Spectrogram, View, run_spectrogram, spectrogram

FS = 1000.0


def made(x: np.ndarray, framing: Framing, view: View, **options: object) -> Spectrogram:
    return spectrogram(lambda a, b: x[a:b], framing, FS, window("hann"), view, **options)  # type: ignore[arg-type]


@given(
    length=st.integers(600, 6000),
    frame=st.sampled_from([64, 100, 256]),
    share=st.floats(0.1, 1.0),
    rows=st.integers(1, 60),
    columns=st.integers(1, 90),
    log=st.booleans(),
    pooling=st.sampled_from(["max", "mean"]),
    detrend=st.sampled_from(["none", "mean", "line"]),
    pad=st.sampled_from([1, 2]),
    limits=st.tuples(st.floats(0, 400), st.floats(20, 500)),
    threads=st.sampled_from([1, 2]),
)
def test_cells_are_those_of_all_frames_pooled(
    length: int,
    frame: int,
    share: float,
    rows: int,
    columns: int,
    log: bool,
    pooling: str,
    detrend: Detrend,
    pad: int,
    limits: tuple[float, float],
    threads: int,
) -> None:
    """Against all frames × bins in float64, pooled by the edges that come with the picture."""
    rng = np.random.default_rng(length)
    x = rng.standard_normal(length) + 5.0 + tone(length, 7.3, 64, 3.0)
    framing = Framing(length, frame, max(1, round(share * frame)))
    low, high = limits[0], limits[0] + limits[1]
    view = View(rows, columns, low=low, high=high, log=log, pooling=pooling)  # type: ignore[arg-type]
    got = made(x, framing, view, pad=pad, detrend=detrend, threads=threads)
    weights = window("hann").samples(frame)
    frames = np.lib.stride_tricks.sliding_window_view(x, frame)[:: framing.hop]
    frames = detrended(frames, detrend, weights)
    squares = np.abs(np.fft.rfft(frames * weights, n=frame * pad, axis=1)) ** 2
    squares *= 2 / weights.sum() ** 2
    squares[:, 0] /= 2
    if (frame * pad) % 2 == 0:
        squares[:, -1] /= 2
    middle = (np.arange(len(frames)) * framing.hop + frame / 2) / FS
    frequency = np.arange(squares.shape[1]) * FS / (frame * pad)
    assert got.mean_square.shape == (len(got.time) - 1, len(got.frequency) - 1)
    assert got.mean_square.shape[0] == min(rows, len(frames))
    assert np.all(np.diff(got.time) > 0) and np.all(np.diff(got.frequency) > 0)
    join = np.max if pooling == "max" else np.mean
    for r in range(got.mean_square.shape[0]):
        inside = (middle > got.time[r]) & (middle < got.time[r + 1])
        assert inside.any()
        for c in range(got.mean_square.shape[1]):
            bins = (frequency > got.frequency[c]) & (frequency < got.frequency[c + 1])
            if not bins.any():  # between two bins: the one whose half it is
                near = np.sqrt(got.frequency[c] * got.frequency[c + 1])
                away = np.abs(frequency - near)
                if np.ptp(np.partition(away, 1)[:2]) < 1e-9 * FS:
                    continue  # halfway between two: either will do
                bins = np.arange(len(frequency)) == np.argmin(away)
            if bins[[0, -1]].any() and bins.sum() > 1:
                continue  # one side only of the offset or the Nyquist frequency, pooled
            expected = join(squares[np.ix_(inside, bins)])
            assert got.mean_square[r, c] == pytest.approx(expected, rel=2e-4, abs=1e-10)


def test_a_click_is_seen_however_long_the_record() -> None:
    x = 1e-3 * np.random.default_rng(0).standard_normal(400_000)
    x[123_456] = 1.0
    got = made(x, Framing(len(x), 256, 128), View(40, 60))
    row, _ = np.unravel_index(np.argmax(got.mean_square), got.mean_square.shape)
    assert got.time[row] - 0.13 < 123.456 < got.time[row + 1] + 0.13
    assert got.frames == 3124


def test_a_part_is_computed_as_finely_as_it_is_seen() -> None:
    """Zoomed in, a cell is a bin and a frame; edges are in s of the recording."""
    x = tone(100_000, 200.4, 1000)
    made_of = recording(x, fs=FS)
    method = Method.of(frame=1000, overlap=50, stretch=Stretch(10.0, 90.0))
    view = View(500, 800, start=30.0, end=50.0, low=190.0, high=210.0)
    got = run_spectrogram(method, made_of, view)
    assert got.time[0] == pytest.approx(30.0, abs=0.5) and got.time[-1] == pytest.approx(
        50, abs=0.5
    )
    assert np.diff(got.frequency) == pytest.approx(1.0)
    place = got.cell(40.0, 200.4)
    assert place is not None and got.mean_square[place] > 0.9 * 0.5 * 0.9
    assert got.cell(20.0, 200.0) is None
    assert got.centres[np.argmax(got.mean_square[0])] == pytest.approx(200.0)


def test_few_frames_follow_closer_and_a_short_stretch_has_a_shorter_frame() -> None:
    made_of = recording(tone(5000, 100, 1000), fs=FS)
    method = Method.of(frame=2048, overlap=0)
    got = run_spectrogram(method, made_of, View(200, 400))
    assert got.frames >= 200 and got.frame == 2048 and got.hop < 20
    short = method.having(stretch=Stretch(1.0, 1.3))
    got = run_spectrogram(short, made_of, View(50, 400))
    assert got.frame == 256 and got.mean_square.shape[0] > 10
    for average in ("single", "synchronous"):
        other = run_spectrogram(method.having(average=average), made_of, View(200, 400))  # type: ignore[arg-type]
        assert other.frames >= 200


def test_holes_are_told_and_it_can_be_stopped() -> None:
    x = np.ones(50_000)
    x[4000] = np.nan
    with pytest.raises(UserError, match="missing or infinite"):
        made(x, Framing(len(x), 256, 128), View(40, 60))

    def stop(fraction: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        made(np.ones(5000), Framing(5000, 256, 128), View(40, 60), progress=stop)
