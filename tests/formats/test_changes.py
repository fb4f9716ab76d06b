"""What changes in time, in tables, JSON, pictures and the report: against the values themselves."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from matplotlib.figure import Figure
from tests.support import recording

from tonecomb.core.analysis import Analysis, run
from tonecomb.core.changing import Changing, run_changing
from tonecomb.core.estimate.bands import Band, band_rms
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.slices import Slicing
from tonecomb.core.estimate.spectrogram import View, run_spectrogram
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.estimate.trend import run_trend
from tonecomb.core.find.knowledge import NOTHING
from tonecomb.core.method import Method
from tonecomb.core.progress import silent
from tonecomb.core.record.recording import Recording
from tonecomb.formats import changes, output
from tonecomb.formats.report import figures, figures_in_time
from tonecomb.formats.report.figures import Panel, SpectrumView
from tonecomb.formats.report.figures_in_time import GramLook
from tonecomb.formats.report.folder import files_of
from tonecomb.formats.report.html import report

FS, SECONDS = 1000.0, 16.0
SHAFT = Shaft(tacho=Sync(channel=1, level=0.0), orders=(1.0, 3.0))
METHOD = Method(
    frame=1000,
    bands=(Band(20, 60, "low"), Band(100, 200)),
    tracks=(Wanted(15, 60, (), "third"),),
    shaft=SHAFT,
)


@pytest.fixture(scope="module")
def made() -> Recording:
    """Orders 1 and 3 of a shaft from 6 to 14 Hz, its reference beside, and noise."""
    t = np.arange(round(FS * SECONDS)) / FS
    turns = 6 * t + 8 * t**2 / (2 * SECONDS)
    x = np.cos(2 * np.pi * turns) + 0.5 * np.cos(2 * np.pi * 3 * turns)
    noise = 0.01 * np.random.default_rng(2).standard_normal(len(t))
    return recording(x + noise, np.cos(2 * np.pi * turns), fs=FS)


@pytest.fixture(scope="module")
def changing(made: Recording) -> Changing:
    return run_changing(METHOD, made, Slicing(count=4, width=2.0))


@pytest.fixture(scope="module")
def analysis(made: Recording) -> Analysis:
    return run(METHOD, made)


def rows(text: str) -> tuple[list[str], np.ndarray]:
    first, *rest = csv.reader(io.StringIO(text))
    cells = [[float(cell) if cell else np.nan for cell in row] for row in rest]
    return first, np.array(cells)


def test_only_what_is_asked_for_is_computed(made: Recording) -> None:
    nothing = run_changing(Method(frame=1000), made)
    assert not nothing
    assert changes.text(nothing) == "" and changes.values(nothing) == {}
    only = run_changing(Method(frame=1000, tracks=METHOD.tracks), made)
    assert only and only.slices is None and only.run_up is None
    with pytest.raises(RuntimeError):

        def stop(_: float) -> None:
            raise RuntimeError

        run_changing(METHOD, made, Slicing(count=4), stop)


def test_the_tables_hold_the_values(changing: Changing) -> None:
    trend, slices, run_up = changing.trend, changing.slices, changing.run_up
    assert trend is not None and slices is not None and run_up is not None
    titles, table = rows(changes.trend_csv(trend))
    assert titles == ["time [s]", "rms [m/s²]", "crest factor", "kurtosis", "low [m/s² rms]",
                      "100–200 Hz [m/s² rms]", "third [Hz]", "third [m/s² rms]"]  # fmt: skip
    np.testing.assert_allclose(table[:, 0], trend.time, rtol=1e-7)
    np.testing.assert_allclose(table[:, 6], trend.tracks[0].frequency, rtol=1e-7)
    speed = 6 + 8 * trend.time / SECONDS
    np.testing.assert_allclose(table[:, 6], 3 * speed, atol=0.05)
    titles, table = rows(changes.slices_csv(slices))
    assert titles[0] == "frequency [Hz]" and len(titles) == 5
    np.testing.assert_allclose(table[:, 1:].T, slices.curves().values, rtol=1e-7)
    titles, table = rows(changes.orders_csv(run_up))
    assert titles[2:] == ["order 1 [m/s² rms]", "order 1 phase [°]", "order 3 [m/s² rms]",
                          "order 3 phase [°]"]  # fmt: skip
    np.testing.assert_allclose(table[2:-2, 2], np.sqrt(0.5), rtol=0.01)
    np.testing.assert_allclose(table[2:-2, 4], 0.5 * np.sqrt(0.5), rtol=0.02)
    np.testing.assert_allclose(table[2:-2, 1], 6 + 8 * table[2:-2, 0] / SECONDS, rtol=0.002)


@pytest.mark.parametrize("level", ["rms", "peak", "peak-to-peak"])
def test_levels_are_those_that_are_named(made: Recording, level: Any) -> None:
    """Tables say an amplitude in the level of the method; beside bands everything is rms."""
    trend = run_trend(replace(METHOD, level=level), made, METHOD.tracks)
    amplitude = {"rms": np.sqrt(0.125), "peak": 0.5, "peak-to-peak": 1.0}[level]
    np.testing.assert_allclose(np.median(changes.amplitude(trend, 0)), amplitude, rtol=0.02)
    assert changes.trend_csv(trend).splitlines()[0].endswith(f"third [m/s² {level}]")
    lines, title, unit = changes.lines(trend, "levels")
    assert (title, unit) == ("Level", "m/s² rms")
    assert [name for name, _ in lines] == ["low", "100–200 Hz", "third"]
    np.testing.assert_allclose(np.median(lines[2][1]), np.sqrt(0.125), rtol=0.02)
    for kind, word in (("rms", "Rms"), ("crest", "Crest factor"), ("kurtosis", "Kurtosis")):
        ((_, values),), title, _ = changes.lines(trend, kind)
        assert title == word and len(values) == len(trend.time)


def test_velocity_changes_everything_that_is_told(made: Recording) -> None:
    display = Display(quantity="Velocity", low_cut=2.0)
    method = replace(METHOD, display=display, shaft=None)
    found = run_changing(method, made, Slicing(count=2, width=2.0))
    told = changes.values(found)
    assert found.slices is not None
    shown = found.slices.displayed(display)
    one, last = replace(shown, mean_square=shown.mean_square[1]), told["slices"][1]
    assert last["rms"] == pytest.approx(one.rms)
    assert last["bands"][0] == pytest.approx(band_rms(one, 20, 60))
    # 0.5 m/s² at three times the speed about the last slice, in mm/s.
    speed = 6 + 8 * found.slices.time[1] / SECONDS
    wanted = 1000 * 0.5 / np.sqrt(2) / (2 * np.pi * 3 * speed)
    assert last["bands"][0] == pytest.approx(wanted, rel=0.03)
    assert "[mm/s rms]" in changes.trend_csv(found.trend).splitlines()[0]  # type: ignore[arg-type]


def test_json_is_strict_and_whole(changing: Changing) -> None:
    told = json.loads(output.dumps(changes.values(changing)))
    assert set(told) == {"slices", "trend", "run_up"}
    assert [one["order"] for one in told["run_up"]["orders"]] == [1, 3]
    peaks = {round(one["order"], 2): one["amplitude"] for one in told["run_up"]["order_spectrum"]}
    assert peaks[1.0] == pytest.approx(np.sqrt(0.5), rel=0.02)
    assert peaks[3.0] == pytest.approx(np.sqrt(0.125), rel=0.02)
    assert told["run_up"]["resonances"] == []
    assert "by shaft angle, speed from c2, 1 pulse a turn" in told["run_up"]["method"]
    text = changes.text(changing)
    assert text.count("slice ") == 4 and "track third: " in text and "order 3.000" in text


def drawn(panel: Panel) -> Figure:
    figure = Figure(figsize=(10, panel.height))
    panel.draw(figure)
    return figure


@pytest.mark.parametrize("sideways", [False, True])
@pytest.mark.parametrize("decibels", [False, True])
@pytest.mark.parametrize("log", [False, True])
def test_a_spectrogram_on_paper(
    made: Recording, analysis: Analysis, sideways: bool, decibels: bool, log: bool
) -> None:
    view = View(30, 60, low=5.0, high=100.0, log=log)
    gram = run_spectrogram(METHOD, made, view)
    look = GramLook(decibels, (0.0, 1.0), "grey", sideways)
    axes, bar = drawn(figures_in_time.gram_panel(analysis, gram, look)).axes
    across, upward = ("Time, s", "Frequency, Hz") if sideways else ("Frequency, Hz", "Time, s")
    assert (axes.get_xlabel(), axes.get_ylabel()) == (across, upward)
    assert axes.yaxis_inverted() == (not sideways)
    scales = (axes.get_xscale(), axes.get_yscale())
    assert scales[sideways] == ("log" if log else "linear") and scales[not sideways] == "linear"
    assert bar.get_ylabel() == analysis.label(decibels)
    (mesh,) = axes.collections
    assert mesh.get_clim() == (0.0, 1.0)
    cells = mesh.get_array()
    assert cells.size == gram.mean_square.size  # type: ignore[union-attr]


def test_a_trend_a_waterfall_and_a_run_up_on_paper(analysis: Analysis, changing: Changing) -> None:
    assert changing.trend and changing.slices and changing.run_up
    above, below = drawn(figures_in_time.trend_panel(changing.trend)).axes
    assert [line.get_label() for line in above.get_lines()] == ["third"]
    assert [line.get_label() for line in below.get_lines()] == ["low", "100–200 Hz", "third"]
    assert (below.get_xlabel(), below.get_ylabel()) == ("Time, s", "Level, m/s² rms")
    alone = replace(changing.trend, tracks=())
    (only,) = drawn(figures_in_time.trend_panel(alone, "crest")).axes
    assert only.get_ylabel() == "Crest factor"
    for display in (Display(), Display(drawn="octave", bands=3)):
        shown = analysis.displayed("psd", "rms", display)
        (axes,) = drawn(figures_in_time.waterfall_panel(shown, changing.slices, 5, 400)).axes
        lines = axes.get_lines()[: len(changing.slices.time)]
        # The first slice is in front and lowest, the last at the back, to the right.
        starts = [float(np.min(line.get_xdata())) for line in lines]
        assert starts == sorted(starts, reverse=True) and min(starts) >= 5.0
        assert all(5 <= tick <= 400 for tick in axes.get_xticks())
        assert axes.get_ylabel() == shown.label(True)
    left, right, _ = drawn(figures_in_time.run_up_panel(changing.run_up)).axes
    assert (left.get_xlabel(), right.get_xlabel()) == ("Order", "Speed, Hz")
    assert [line.get_label() for line in right.get_lines()] == ["order 1", "order 3"]


def test_all_files_of_an_analysis(made: Recording, analysis: Analysis, changing: Changing) -> None:
    files = dict(files_of(made, analysis, NOTHING, changing, silent))
    tables = {f"{name}.csv" for name in ("spectrum", "peaks", "combs", "resonances", "bands",
                                         "trend", "slices", "orders")}  # fmt: skip
    pictures = {f"{name}.png" for name in ("spectrum", "spectrogram", "waterfall", "trend",
                                           "run-up")}  # fmt: skip
    assert set(files) == tables | pictures | {"report.html"}
    assert all(files[name].startswith(b"\x89PNG") for name in pictures)
    page = files["report.html"].decode()
    assert page.count("<figure>") == 6 and "4 slices of 2 s each." in page
    plain = report(made, analysis, SpectrumView())
    assert plain.count("<figure>") == 2 and "Changes in time" not in plain


def test_a_picture_that_was_made_elsewhere_is_put_below(analysis: Analysis) -> None:
    spectrum = figures.spectrum_panel(analysis, SpectrumView())
    alone = figures.stacked([spectrum], "png")
    both = figures.stacked([spectrum, figures.image_panel(alone, 4.4)], "png", "a heading")
    sizes = [int.from_bytes(png[20:24], "big") for png in (alone, both)]
    assert sizes[1] == 2 * sizes[0]
