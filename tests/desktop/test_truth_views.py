"""What is drawn of a made recording: the strip of true places, names over the spectrum, samples and
what lies between them, and the table of truth, also through the chain."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tonecomb.core.record import sinc
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.truth import folded, turned
from tonecomb.core.results.against_truth import Compared
from tonecomb.core.synthesis.hits import Hits, RungMode
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.noise import Noise
from tonecomb.core.synthesis.part import Part
from tonecomb.core.synthesis.sampling import Sampling
from tonecomb.core.synthesis.tones import Sweep, Teeth, Tone
from tonecomb.core.synthesis.waves import Square
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.readings.truth import off_words, told_of
from tonecomb.desktop.stage.maker.maker import fold_words
from tonecomb.desktop.stage.spectrum.fold_strip import FoldStrip, name_of, placed

Settle = Callable[[], None]


def of(*parts: Part, rate: float = 256.0, count: int = 2560, **how: float) -> Made:
    return Made("made", parts=parts, sampling=Sampling(rate, count, **how))  # type: ignore[arg-type]


@pytest.fixture
def begun(bench: Bench, settle: Settle) -> Callable[[Made], Bench]:
    def begin(made: Made) -> Bench:
        bench.making.begin(made)
        settle()
        return bench

    return begin


@given(st.floats(1e-3, 1e5), st.floats(1.0, 1e4))
def test_samples_cannot_tell_a_tone_from_its_fold(frequency: float, rate: float) -> None:
    place = folded(frequency, rate)
    assert 0 <= place <= rate / 2 * (1 + 1e-12)
    n = np.arange(64)
    sign = -1 if turned(frequency, rate) else 1
    phase = 0.7
    there = np.cos(2 * np.pi * (frequency % rate) / rate * n + phase)
    shown = np.cos(2 * np.pi * place / rate * n + sign * phase)
    assert np.abs(there - shown).max() < 1e-6


@settings(max_examples=15)
@given(st.floats(0.01, 0.85), st.lists(st.floats(70.0, 930.0), min_size=1, max_size=40))
def test_what_lies_between_samples_is_the_one_curve(share: float, places: list[float]) -> None:
    x = np.cos(np.pi * share * np.arange(1000) + 0.3)
    found = sinc.interpolated(lambda a, b: x[a:b], 1000, np.array(places))
    assert found == pytest.approx(np.cos(np.pi * share * np.array(places) + 0.3), abs=2e-4)
    assert np.array_equal(sinc.interpolated(lambda a, b: x[a:b], 1000, np.arange(5.0)), x[:5])


def test_the_strip_places_every_line(qapp: object, begun: Callable[[Made], Bench]) -> None:
    bench = begun(of(Tone(61.8), Tone(700.0, 0.5), Tone(90.0, 0.001), Sweep(8.0, 300.0)))
    strip = bench.stage.spectra.folds
    assert [round(one.is_at, 1) for one in strip.lines] == [61.8, 700.0], "the weakest are left out"
    assert strip.top == pytest.approx(1.08 * 700), "as far as the highest goes"
    assert [one.folded for one in strip.lines] == [False, True]
    assert name_of(strip.lines[1]) == "68 Hz, is 700" and name_of(strip.lines[0]) == "61.8 Hz"
    assert strip.words() == "700 Hz shows at 68 Hz"
    left, right = strip.x_of(0.0), strip.x_of(strip.top)
    assert left < strip.x_of(128.0) < right <= strip.width()
    assert bench.stage.spectra.truth.lines == strip.lines
    begun(of(Tone(20.0)))
    assert strip.words() == "Every part lies below half the rate"
    assert strip.top == 256.0


def test_no_strip_for_what_was_recorded(opened: Bench, settle: Settle) -> None:
    spectra = opened.stage.spectra
    assert not spectra.folds.isVisible() and not spectra.truth.lines
    assert not opened.stage.maker.isVisible() and not opened.readings.tabs["truth"].isVisible()
    assert opened.ruler.figure("ENBW") != "–"
    opened.stage.waveform.set_limits(5.0, 5.01)
    settle()
    found = opened.stage.samples.shown
    assert found is not None and found.there is None, "nobody knows what was there"
    assert "what was there" not in opened.stage.waveform.legend.text()
    assert opened.stage.samples.dots.isVisible()
    opened.stage.waveform.show_all()
    settle()
    assert opened.stage.samples.shown is None and not opened.stage.samples.dots.isVisible()
    assert opened.stage.waveform.inside.isVisible()


@pytest.mark.parametrize(
    ("part", "how", "words"),
    [
        (Tone(61.8), {}, ""),
        (Tone(176.4), {}, "above half the rate: shows at 79.6 Hz"),
        (Tone(176.4), {"low_pass": 20.0, "order": 8}, "above half the rate, and taken out before"),
        (Teeth(40.0, 5, roll_off=0.0), {}, "2 of its lines above half the rate"),
        (Noise(), {}, ""),
        (Hits(rung=(RungMode(500.0, 1.0),), scatter=2.0), {}, ""),
    ],
)
def test_the_maker_says_what_becomes_of_a_part(
    part: Part, how: dict[str, float], words: str
) -> None:
    assert fold_words(of(part, **how), 0) == words


def row(**changes: object) -> Compared:
    usual = {
        "part": 0,
        "name": "61.8 Hz",
        "frequency": 61.8,
        "shows": 61.8,
        "amplitude": 1.0,
        "read": 61.8003,
        "read_std": 1e-4,
        "read_amplitude": 1.01,
        "read_amplitude_std": 0.01,
    }
    return Compared(**(usual | changes))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("found", "cell", "words"),
    [
        (row(), "+3.0 σ", "read 61.8003(1) Hz (+3.0 σ), 1.01(1) (+1.0 σ)"),
        (row(shows=40.0, read=40.0), "folded", "folded to 40 Hz"),
        (row(note="moves", read_std=math.nan), "moves", "– moves"),
        (row(note="in one line with 62 Hz"), "one line", "– in one line with 62 Hz"),
        (row(note="below the noise", read=math.nan), "in noise", "– below the noise"),
        (row(note="taken out", shows=math.nan, read=math.nan), "gone", "– taken out"),
        (
            row(note="not fitted", read=math.nan, kind="mode", amplitude=0.015),
            "not read",
            "damping 1.5 %",
        ),
        (row(kind="noise", read=math.nan, amplitude=0.2), "", "of 0.2 rms, read 1.01"),
    ],
)
def test_rows_of_the_truth_are_said(found: Compared, cell: str, words: str) -> None:
    if found.kind != "noise":
        assert off_words(found) == cell
    assert words in told_of(found, "m/s²")


def test_a_row_goes_to_its_line(begun: Callable[[Made], Bench], settle: Settle) -> None:
    bench = begun(of(Tone(30.0), Tone(100.0), Noise(amount=0.01), Square(5.0, 0.5)))
    bench.readings.show_page("truth")
    bench.stage.spectrum.set_limits(20.0, 40.0)
    tree = bench.readings.truth.tree
    tree.setCurrentItem(tree.topLevelItem(1))
    low, high = bench.stage.spectrum.limits()
    assert low < 100.0 < high
    assert bench.readings.truth.told.text().startswith("100 Hz: 100 Hz, 0.7071 m/s² rms")
    bench.readings.filter_field.setText("30.0000")
    hidden = [tree.topLevelItem(i).isHidden() for i in range(3)]  # type: ignore[union-attr]
    assert hidden == [False, True, True]
    bench.readings.filter_field.setText("")
    assert bench.readings.copy()


def test_phase_and_level_of_a_stretch_shown_as_velocity(
    begun: Callable[[Made], Bench], settle: Settle
) -> None:
    bench = begun(of(Tone(30.0, 2.0, phase=25.0), Noise(amount=0.01)))
    bench.store.edit_method("Part", stretch=Stretch(1.25, 8.0), level="peak")
    settle()
    first = bench.readings.truth.rows[0]
    assert abs(first.phase_off) < 4 * first.read_phase_std
    assert first.amplitude == pytest.approx(2.0) and abs(first.amplitude_off) < 4
    method = bench.store.method
    assert method is not None
    from tonecomb.core.estimate.display import Display

    bench.store.edit_method("As velocity", display=Display("Velocity"))
    settle()
    shown = bench.readings.truth.rows[0]
    assert shown.amplitude == pytest.approx(first.amplitude / (2 * np.pi * 30.0), rel=1e-3) or (
        shown.amplitude == pytest.approx(1000 * first.amplitude / (2 * np.pi * 30.0), rel=1e-3)
    )
    assert abs(shown.amplitude_off) < 4


def test_the_strip_alone(qapp: object, qtbot: object) -> None:
    strip = FoldStrip()
    qtbot.addWidget(strip)  # type: ignore[attr-defined]
    strip.show_analysis(None)
    assert not strip.isVisible() and placed(of(Noise()).truth) == ()
    QTest.mouseMove(strip)
    assert strip.cursor().shape() == Qt.CursorShape.ArrowCursor
