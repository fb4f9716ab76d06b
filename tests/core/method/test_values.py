"""Units, envelopes, reduced curves, statistics and undo."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from tests.support import recording

from tonecomb.core.base import units
from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.reduce import reduce_curve
from tonecomb.core.estimate.spectrum import level_label, to_decibels
from tonecomb.core.method.document import Document
from tonecomb.core.method.history import History
from tonecomb.core.method.method import Method, Stretch, default_frame
from tonecomb.core.method.sentence import sentence
from tonecomb.core.record import pyramid
from tonecomb.core.record.statistics import channel_figures, sample_problem


@pytest.mark.parametrize("symbol", units.COMMON)
def test_the_units_table_agrees_with_pint(symbol: str) -> None:
    quantity, size = units.COMMON[symbol]
    base, reference, _ = units.REFERENCES[quantity]
    theirs = (1.0 * units.registry().parse_units(units.pint_name(symbol))).to(base).magnitude
    assert size == pytest.approx(theirs, rel=1e-9)
    assert units.unit(symbol).reference == pytest.approx(reference / size)


@pytest.mark.parametrize(
    ("text", "symbol", "quantity"),
    [
        ("m/s^2", "m/s²", "Acceleration"),
        ("[g]", "g", "Acceleration"),
        ("ips", "in/s", "Velocity"),
        ("\u03bcm", "µm", "Displacement"),
        ("", "FS", "Amplitude"),
        ("cm/s", "cm/s", "Velocity"),
        ("degC", "degC", "Amplitude"),
    ],
)
def test_spellings(text: str, symbol: str, quantity: str) -> None:
    found = units.unit(text)
    assert (found.symbol, found.quantity) == (symbol, quantity)


def test_unknown_units_are_refused() -> None:
    for text in ("wobbles", "9**9**9**9", "9^9^9", "m" * 1000, "10 m"):
        assert units.find_unit(text) is None
    with pytest.raises(UserError, match="‘wobbles’ is not known"):
        units.unit("wobbles")


def test_decibels_follow_iso_1683() -> None:
    g = units.unit("g")
    one = np.array([1.0])
    assert to_decibels(one, "amplitude", g)[0] == pytest.approx(20 * np.log10(9.80665e6))
    assert to_decibels(one, "psd", g)[0] == pytest.approx(20 * np.log10(9.80665e6))
    assert level_label("psd", "rms", g, True) == "Acceleration PSD, dB re (1 µm/s²)²/Hz"
    assert level_label("amplitude", "peak", g, False) == "Acceleration, g peak"


@given(
    x=arrays(np.float64, st.integers(1, 20_000), elements=st.floats(-1e3, 1e3)),
    span=st.tuples(st.floats(0, 1), st.floats(0, 1)),
    columns=st.integers(1, 400),
)
def test_envelopes_never_lose_an_extreme(
    x: np.ndarray, span: tuple[float, float], columns: int
) -> None:
    built = pyramid.build(lambda a, b: x[a:b], len(x))
    start, stop = int(min(span) * len(x)), max(1, round(max(span) * len(x)))
    e = built.envelope(start, stop, columns)
    exact = pyramid.envelope_of(x[start:stop], start, columns)
    assert len(exact.low) == min(columns, stop - start if stop > start else 0)
    if stop > start:
        assert e.edges[0] <= start
        assert e.edges[-1] >= stop
        assert e.low.min() <= x[start:stop].min()
        assert exact.low.min() == x[start:stop].min()
        assert exact.high.max() == x[start:stop].max()
    for low, high, first, last in zip(e.low, e.high, e.edges[:-1], e.edges[1:], strict=True):
        cell = x[int(first) : int(last)]
        assert (low, high) == (cell.min(), cell.max())


def test_missing_samples_leave_a_hole_in_the_envelope() -> None:
    x = np.ones(2048)
    x[256:512] = np.nan
    x[700] = np.nan
    x[900] = np.inf
    built = pyramid.build(lambda a, b: x[a:b], len(x))
    assert (built.missing, built.infinite) == (257, 1)
    low, high = built.levels[0]
    assert high[3] == 1.0
    assert np.isnan(low[1])
    assert np.isfinite(np.delete(low, 1)).all()


@given(
    y=arrays(np.float64, st.integers(2, 5000), elements=st.floats(-1e3, 1e3)),
    columns=st.integers(8, 200),
    log=st.booleans(),
)
def test_reduced_curves_keep_peaks_and_order(y: np.ndarray, columns: int, log: bool) -> None:
    x = np.arange(len(y), dtype=float)
    rx, ry = reduce_curve(x, y, 0, len(y), columns, log=log)
    seen = y[1:] if log else y
    assert (ry.max(), ry.min()) == (seen.max(), seen.min())
    assert (np.diff(rx) >= 0).all()
    assert len(rx) <= max(2 * columns, 2)
    # The highest point is drawn within a column of where it is.
    top = x[1:][np.argmax(seen)] if log else x[np.argmax(y)]
    place = np.log if log else np.asarray
    width = (place(x[-1]) - place(x[1 if log else 0])) / columns
    nearest = np.abs(place(rx[ry == seen.max()]) - place(top)).min()
    assert nearest <= width + 1e-9


@given(x=arrays(np.float64, st.integers(1, 3000), elements=st.floats(-1e6, 1e6)))
def test_channel_figures(x: np.ndarray) -> None:
    (f,) = channel_figures(recording(x), (0,))
    assert (f.min, f.max) == (x.min(), x.max())
    assert f.mean == pytest.approx(x.mean(), rel=1e-9, abs=1e-6)
    assert f.rms == pytest.approx(np.sqrt(np.mean(x**2)), rel=1e-9, abs=1e-6)
    assert sample_problem(recording(x).channels[0], f.missing, f.infinite) is None


def test_bad_samples_are_counted() -> None:
    x = np.array([1.0, np.nan, 3.0, np.inf, np.nan])
    (f,) = channel_figures(recording(x), (0,))
    assert (f.missing, f.infinite, f.min, f.max, f.mean) == (2, 1, 1.0, 3.0, 2.0)
    problem = sample_problem(recording(x).channels[0], f.missing, f.infinite)
    assert problem is not None
    assert "2 missing and 1 infinite samples" in problem.text


def test_figures_of_several_channels_are_those_of_all_their_parts(
    rng: np.random.Generator,
) -> None:
    """In several threads, with holes from the first sample on and on a large offset."""
    x = rng.standard_normal((3, 400_000)) + np.array([[0.0], [1e6], [-3.0]])
    x[1, :50_000] = np.nan
    x[2, rng.integers(0, 400_000, 300)] = np.inf
    for own, f in zip(x, channel_figures(recording(*x), (0, 1, 2)), strict=True):
        finite = own[np.isfinite(own)]
        assert (f.missing, f.infinite) == (np.isnan(own).sum(), np.isinf(own).sum())
        assert (f.min, f.max) == (finite.min(), finite.max())
        assert f.mean == pytest.approx(finite.mean(), rel=1e-12)
        assert f.rms == pytest.approx(np.sqrt(np.mean(finite**2)), rel=1e-12)


@pytest.mark.parametrize(
    ("length", "frame"), [(768_000, 32768), (24_000, 1024), (300, 256), (100, 100), (10**9, 65536)]
)
def test_default_frame(length: int, frame: int) -> None:
    assert default_frame(length) == frame


def test_sentence() -> None:
    made = recording(np.zeros(60_000), fs=12_800.0)
    method = Method.of(stretch=Stretch(1.25, 4), frame=8192, pad=2)
    assert sentence(method, made) == (
        "c1 · 1.25–4.0 s · mean removed · Hann, 8192 samples, padded ×2, 50 % overlap · "
        "7 frames averaged · amplitude, m/s² rms"
    )


def test_history_merges_a_drag_and_forgets_what_was_undone() -> None:
    states = [Document(current=str(i)) for i in range(5)]
    h = (
        History()
        .apply("open", states[0])
        .apply("drag", states[1], "d")
        .apply("drag", states[2], "d")
    )
    assert [step.document for step in h.done[1:]] == [states[0], states[2]]
    h = h.undo()
    assert (h.present, h.redo_label, h.redo().present) == (states[0], "drag", states[2])
    after = h.redo().apply("drag", states[3], "d")
    assert after.undo().present == states[2], "undo and redo end a drag"
    assert h.apply("other", states[4]).redo_label is None
    assert h.apply("same", states[0]) is h
    assert History().undo().present == Document()
