"""What changes in time, in tables, JSON, pictures and the report: against the values themselves."""

from __future__ import annotations

import csv
import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from matplotlib.figure import Figure
from tests.support import read_all, recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import silent
from tonecomb.core.estimate.bands import Band, band_rms
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.method.method import Method, Shown
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run
from tonecomb.core.results.slices import Slicing
from tonecomb.core.results.spectrogram import View, run_spectrogram
from tonecomb.core.results.trend import run_trend
from tonecomb.core.steps.filters import LowPass
from tonecomb.formats import output
from tonecomb.formats.kinds.alike import OtherRecording
from tonecomb.formats.kinds.changes import Earlier
from tonecomb.formats.kinds.kind import Kind, ResultContext, ResultEntry
from tonecomb.formats.kinds.table import KINDS, SPECTRUM, besides, kind
from tonecomb.formats.kinds.trend import amplitude as track_amplitude
from tonecomb.formats.kinds.trend import lines_of
from tonecomb.formats.report import figures, figures_in_time
from tonecomb.formats.report.figures import DrawnSpectrum, Panel
from tonecomb.formats.report.figures_in_time import GramLook
from tonecomb.formats.report.folder import files_of
from tonecomb.formats.report.html import report
from tonecomb.formats.report.part import ReportPart

FS, SECONDS = 1000.0, 16.0
SHAFT = Shaft(tacho=Sync(channel=1, level=0.0), orders=(1.0, 3.0))
METHOD = Method.of(
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


Results = dict[str, Any]


@pytest.fixture(scope="module")
def told(made: Recording) -> list[ResultEntry]:
    return besides(METHOD, made, {"slices": Slicing(count=4, width=2.0)})


@pytest.fixture(scope="module")
def changing(told: list[ResultEntry]) -> Results:
    return {one.kind.key: one.result for one in told}


@pytest.fixture(scope="module")
def context(analysis: Analysis) -> ResultContext:
    return ResultContext(analysis)


def table(key: str, result: Any, context: ResultContext) -> str:
    (one,) = kind(key).tables(result, context)
    return one.csv()


@pytest.fixture(scope="module")
def analysis(made: Recording) -> Analysis:
    return run(METHOD, made)


def rows(text: str) -> tuple[list[str], np.ndarray]:
    of, program, *lines = text.splitlines()
    assert of.startswith("# made: c") and program.startswith("# Tone Comb "), "every table says how"
    first, *rest = csv.reader(lines)
    cells = [[float(cell) if cell else np.nan for cell in row] for row in rest]
    return first, np.array(cells)


def test_only_what_is_asked_for_is_computed(made: Recording) -> None:
    assert besides(Method.of(frame=1000), made) == []
    only = besides(Method.of(frame=1000, tracks=METHOD.follow.tracks), made)
    assert [one.kind.key for one in only] == ["spectrogram", "trend"]
    with pytest.raises(RuntimeError):

        def stop(_: float) -> None:
            raise RuntimeError

        besides(METHOD, made, {"slices": Slicing(count=4)}, stop)


@pytest.mark.parametrize("one", KINDS, ids=lambda one: one.key)
def test_a_kind_hangs_on_its_parts_alone(made: Recording, one: Any, context: ResultContext) -> None:
    """With everything else set back the result is told alike; what only changes how a spectrum is
    shown is not among the parts."""
    asked = {
        "slices": Slicing(count=3),
        "spectrogram": View(20, 30),
        "alike": OtherRecording(),
        "changes": Earlier(made, METHOD),
    }.get(one.key)
    needed = {
        "before-after": {"steps": (LowPass(200.0),)},
        "transfer": {"between": FrfSettings(0, hits=False)},
        "by-length": {"between": FrfSettings(None, low=20.0, high=300.0)},
        "alike": {"between": FrfSettings(0, hits=False, low=20.0, high=300.0)},
    }.get(one.key, {})
    if one.key == "alike":  # a shape is of two answers and more
        first, other = (made.samples.read(i, 0, made.length) for i in range(2))
        made = recording(first, other, first - other**3, fs=FS)
    if one.key == "by-length":
        rung, t = np.zeros(made.length), np.arange(2000) / FS
        for at in (1300, 4100, 6600, 9200, 12000):
            rung[at : at + 2000] += np.exp(-5 * t) * np.sin(2 * np.pi * 80 * t)
        made = recording(rung + 1e-4 * np.random.default_rng(3).standard_normal(len(rung)), fs=FS)
    full = METHOD.having(**needed)
    parts = one.parts(full)
    assert one.possible(parts, asked) and one.doing
    assert one.parts(parts) == parts
    other = full.having(scaling="psd")
    assert (one.parts(other) == parts) == (one.key != "before-after"), "it is shown with spectra"
    whole, bare = (one.run(method, made, asked) for method in (full, parts))
    if one.key not in ("slices", "spectrum"):  # their bands are read off as the method says
        assert output.dumps(one.values(whole, context)) == output.dumps(one.values(bare, context))
    for picture in one.pictures(whole, context):
        assert picture.panel.height > 0


def test_the_tables_hold_the_values(changing: Results, context: ResultContext) -> None:
    trend, slices, run_up = (changing[key] for key in ("trend", "slices", "run-up"))
    titles, cells = rows(table("trend", trend, context))
    assert titles == [
        "time [s]",
        "rms [m/s²]",
        "crest factor",
        "kurtosis",
        "low [m/s² rms]",
        "100–200 Hz [m/s² rms]",
        "third [Hz]",
        "third [m/s² rms]",
    ]
    np.testing.assert_allclose(cells[:, 0], trend.time, rtol=1e-7)
    np.testing.assert_allclose(cells[:, 6], trend.tracks[0].frequency, rtol=1e-7)
    speed = 6 + 8 * trend.time / SECONDS
    np.testing.assert_allclose(cells[:, 6], 3 * speed, atol=0.05)
    titles, cells = rows(table("slices", slices, context))
    assert titles[0] == "frequency [Hz]" and len(titles) == 5
    np.testing.assert_allclose(cells[:, 1:].T, slices.curves().values, rtol=1e-7)
    text = table("run-up", run_up, context)
    titles, cells = rows(text)
    assert "by shaft angle" in text.splitlines()[0]
    assert titles[2:] == [
        "order 1 [m/s² rms]",
        "order 1 phase lead [°]",
        "order 3 [m/s² rms]",
        "order 3 phase lead [°]",
    ]
    np.testing.assert_allclose(cells[2:-2, 2], np.sqrt(0.5), rtol=0.01)
    np.testing.assert_allclose(cells[2:-2, 4], 0.5 * np.sqrt(0.5), rtol=0.02)
    np.testing.assert_allclose(cells[2:-2, 1], 6 + 8 * cells[2:-2, 0] / SECONDS, rtol=0.002)


@pytest.mark.parametrize("level", ["rms", "peak", "peak-to-peak"])
def test_levels_are_those_that_are_named(
    made: Recording, context: ResultContext, level: Any
) -> None:
    """Tables say an amplitude in the level of the method; beside bands everything is rms."""
    trend = run_trend(METHOD.having(level=level), made, METHOD.follow.tracks)
    wanted = {"rms": np.sqrt(0.125), "peak": 0.5, "peak-to-peak": 1.0}[level]
    np.testing.assert_allclose(np.median(track_amplitude(trend, 0)), wanted, rtol=0.02)
    assert table("trend", trend, context).splitlines()[2].endswith(f"third [m/s² {level}]")
    lines, title, unit = lines_of(trend, "levels")
    assert (title, unit) == ("Level", "m/s² rms")
    assert [name for name, _ in lines] == ["low", "100–200 Hz", "third"]
    np.testing.assert_allclose(np.median(lines[2][1]), np.sqrt(0.125), rtol=0.02)
    for figure, word in (("rms", "Rms"), ("crest", "Crest factor"), ("kurtosis", "Kurtosis")):
        ((_, values),), title, _ = lines_of(trend, figure)
        assert title == word and len(values) == len(trend.time)


def test_velocity_changes_everything_that_is_told(made: Recording, context: ResultContext) -> None:
    display = Display(quantity="Velocity", low_cut=2.0)
    bands = (Band(20, 60, "low", "mm/s"), Band(100, 200, unit="mm/s"))
    method = METHOD.having(display=display, shaft=None, bands=bands)
    told = besides(method, made, {"slices": Slicing(count=2, width=2.0)})
    found = {one.kind.key: one.result for one in told}
    slices = found["slices"]
    shown = slices.displayed(display.above(3 * slices.first.frame_hz))
    one, last = (
        replace(shown, mean_square=shown.mean_square[1]),
        kind("slices").values(slices, context)["slices"][1],
    )
    assert last["rms"] == pytest.approx(one.rms)
    assert last["levels"][0] == pytest.approx(band_rms(one, 20, 60))
    # 0.5 m/s² at three times the speed about the last slice, in mm/s.
    speed = 6 + 8 * slices.time[1] / SECONDS
    wanted = 1000 * 0.5 / np.sqrt(2) / (2 * np.pi * 3 * speed)
    assert last["levels"][0] == pytest.approx(wanted, rel=0.03)
    assert "[mm/s rms]" in table("trend", found["trend"], context).splitlines()[2]


def test_json_is_strict_and_whole(told: list[ResultEntry], context: ResultContext) -> None:
    every = [one.kind.values(one.result, context) for one in told]
    values = json.loads(output.dumps({k: v for one in every for k, v in one.items()}))
    assert set(values) == {"slices", "trend", "run_up"}
    assert [one["order"] for one in values["run_up"]["orders"]] == [1, 3]
    peaks = {round(one["order"], 2): one["amplitude"] for one in values["run_up"]["order_spectrum"]}
    assert peaks[1.0] == pytest.approx(np.sqrt(0.5), rel=0.02)
    assert peaks[3.0] == pytest.approx(np.sqrt(0.125), rel=0.02)
    assert values["run_up"]["resonances"] == []
    assert "by shaft angle, speed from c2, 1 pulse a turn" in values["run_up"]["method"]
    text = "\n".join(line for one in told for line in one.kind.lines(one.result, context))
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


def test_a_trend_a_waterfall_and_a_run_up_on_paper(analysis: Analysis, changing: Results) -> None:
    trend, slices = changing["trend"], changing["slices"]
    above, below = drawn(figures_in_time.trend_panel(trend, *lines_of(trend, "levels"))).axes
    assert [line.get_label() for line in above.get_lines()] == ["third"]
    assert [line.get_label() for line in below.get_lines()] == ["low", "100–200 Hz", "third"]
    assert (below.get_xlabel(), below.get_ylabel()) == ("Time, s", "Level, m/s² rms")
    alone = replace(trend, tracks=())
    (only,) = drawn(figures_in_time.trend_panel(alone, *lines_of(alone, "crest"))).axes
    assert only.get_ylabel() == "Crest factor"
    for display in (Display(), Display(drawn="octave", bands=3)):
        shown = analysis.displayed(Shown("psd", "rms", display))
        (axes,) = drawn(figures_in_time.waterfall_panel(shown, slices, 5, 400)).axes
        lines = axes.get_lines()[: len(slices.time)]
        # The first slice is in front and lowest, the last at the back, to the right.
        starts = [float(np.min(line.get_xdata())) for line in lines]
        assert starts == sorted(starts, reverse=True) and min(starts) >= 5.0
        assert all(5 <= tick <= 400 for tick in axes.get_xticks())
        assert axes.get_ylabel() == shown.label(True)
    left, right, _ = drawn(figures_in_time.run_up_panel(changing["run-up"])).axes
    assert (left.get_xlabel(), right.get_xlabel()) == ("Order", "Speed, Hz")
    assert [line.get_label() for line in right.get_lines()] == ["order 1", "order 3"]


def test_all_files_of_an_analysis(
    made: Recording, analysis: Analysis, told: list[ResultEntry], context: ResultContext
) -> None:
    files = dict(files_of(made, [ResultEntry(SPECTRUM, analysis), *told], context, silent))
    tables = {
        f"{name}.csv"
        for name in (
            "spectrum",
            "peaks",
            "combs",
            "resonances",
            "levels",
            "trend",
            "slices",
            "orders",
        )
    }
    pictures = {
        f"{name}.png" for name in ("spectrum", "spectrogram", "waterfall", "trend", "run-up")
    }
    assert set(files) == tables | pictures | {"report.html"}
    assert all(files[name].startswith(b"\x89PNG") for name in pictures)
    page = files["report.html"].decode()
    assert page.count("<figure>") == 6 and "4 slices of 2 s each." in page
    plain = report([ReportPart(made, analysis)])
    assert plain.count("<figure>") == 2 and "Changes in time" not in plain


def test_a_picture_that_was_made_elsewhere_is_put_below(analysis: Analysis) -> None:
    spectrum = figures.spectrum_panel(analysis, DrawnSpectrum())
    alone = figures.stacked([spectrum], "png")
    both = figures.stacked([spectrum, figures.image_panel(alone, 4.4)], "png", "a heading")
    sizes = [int.from_bytes(png[20:24], "big") for png in (alone, both)]
    assert sizes[1] == 2 * sizes[0]


@pytest.mark.parametrize("quantity", ["", "Velocity", "Displacement"])
@pytest.mark.parametrize("decibels", [True, False])
@pytest.mark.parametrize("drawn", ["bins", "octave", "total"])
@pytest.mark.parametrize("scaling", ["amplitude", "psd", "energy"])
def test_a_saved_spectrum_shows_levels_and_not_the_low_cut(
    made: Recording, quantity: str, decibels: bool, drawn: Any, scaling: Any
) -> None:
    """Axes begin at the low cut, end at the floor and the highest, and the curve fills them."""
    display = Display(quantity, low_cut=8.0, drawn=drawn)
    shown = METHOD.having(display=display, scaling=scaling, frame=4000)
    analysis = run(shown, made)
    axes = Figure().subplots()
    figures.spectrum_axes(axes, analysis, DrawnSpectrum(decibels=decibels))
    low, high = axes.get_xlim()
    assert low == pytest.approx(8.0 if quantity else 0.0) and high > 20.0
    bottom, top = axes.get_ylim()
    x, y = axes.lines[0].get_xydata().T
    seen = y[(x >= max(low, 0.3)) & (x <= high) & np.isfinite(y)]
    assert bottom < seen.max() < top
    if decibels:
        assert 3.0 < top - bottom < 180.0
        assert np.mean(seen >= bottom) > 0.9
    assert (seen.max() - bottom) / (top - bottom) > 0.8


@pytest.mark.parametrize("fault", [np.nan, np.inf, 1e200])
@pytest.mark.parametrize("one", [k for k in KINDS if k.key != "changes"], ids=lambda k: k.key)
def test_what_cannot_be_reckoned_with_is_said_by_all(
    one: Kind[Any], fault: float, made: Recording
) -> None:
    """Three samples that are none, or too large: a sentence, and no warning of a library."""
    x = read_all(made).copy()
    x[5000:5003] = fault
    with pytest.raises(UserError) as said:
        one.run(METHOD, recording(x, read_all(made, 1), fs=FS), None, silent)
    if one.key not in ("before-after", "transfer", "alike", "by-length"):  # which ask for more
        assert said.value.what.endswith(("missing or infinite values", "to be squared"))
