"""Sessions, tables, reports and pictures, and that writing never spoils what was there."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import re
import shutil
from collections.abc import Callable
from dataclasses import replace
from html.parser import HTMLParser
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from matplotlib.figure import Figure
from matplotlib.text import Text
from tests.core.steps.test_steps import CONTRACT
from tests.support import recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.averages import AVERAGES, InStep, Single
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.shaft import Shaft, of_comb
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.document import Document, Fingerprint, HeldTrace, RecordingRef
from tonecomb.core.method.given import ColumnGiven, Given, Import
from tonecomb.core.method.method import Method, Preset, Shown
from tonecomb.core.method.searches import PeakSearch
from tonecomb.core.record.pyramid import envelope_of
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.windows import WINDOWS
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.confidence import band_db
from tonecomb.core.results.search import run
from tonecomb.core.say.numbers import with_std
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.motion import Integral
from tonecomb.formats import atomic, files, readings
from tonecomb.formats.registry import open_recording
from tonecomb.formats.report import figures
from tonecomb.formats.report.figures import DrawnSpectrum, OtherTrace
from tonecomb.formats.report.html import report
from tonecomb.formats.report.part import ReportPart
from tonecomb.formats.session import presets, session

finite = st.floats(0, 1e6, allow_nan=False)
methods = st.builds(
    Method.of,
    channel=st.integers(0, 9),
    stretch=st.none() | st.builds(Stretch, finite, finite),
    detrend=st.sampled_from(["none", "mean", "line"]),
    window=st.sampled_from(list(WINDOWS)),
    frame=st.integers(2, 10**7),
    overlap=finite,
    pad=st.integers(1, 16),
    scaling=st.sampled_from(["amplitude", "power", "psd", "energy"]),
    level=st.sampled_from(["rms", "peak", "peak-to-peak"]),
    peaks=st.builds(PeakSearch, finite, finite, st.none() | finite, st.none() | finite),
    average=st.sampled_from([kind() for kind in AVERAGES.values()]) | st.builds(Single, finite),
    steps=st.lists(st.sampled_from(CONTRACT), max_size=4).map(tuple),
)
refs = st.builds(
    RecordingRef,
    id=st.uuids().map(str),
    name=st.text(max_size=20),
    path=st.sampled_from(["/data/a b.wav", "/data/deep/er/ü.csv", "/else/where.wav"]),
    fingerprint=st.builds(Fingerprint, st.integers(0, 2**40), st.text(max_size=8)),
    method=methods,
    given=st.builds(
        Given,
        rate=st.none() | finite,
        unit=st.none() | st.sampled_from(["g", "m/s²"]),
        how=st.builds(
            Import,
            columns=st.lists(st.builds(ColumnGiven, st.sampled_from(["time", "data", None]))).map(
                tuple
            ),
            delimiter=st.none() | st.just(";"),
            time_base=st.sampled_from(["nominal", "resample", "cut"]),
            piece=st.none() | st.integers(0, 9),
        ),
    ),
)


@given(kept=st.lists(refs, max_size=3, unique_by=lambda ref: ref.id))
def test_sessions_come_back_whole(
    tmp_path_factory: pytest.TempPathFactory, kept: list[RecordingRef]
) -> None:
    document = Document(tuple(kept), kept[0].id if kept else None)
    path = tmp_path_factory.mktemp("s") / "a.tcomb"
    session.save(path, document)
    assert session.load(path) == document


def test_sessions_move_with_their_recordings(demo: Path, tmp_path: Path) -> None:
    old, new = tmp_path / "old", tmp_path / "new"
    (old / "data").mkdir(parents=True)
    source = old / "data" / "a.csv"
    shutil.copy(demo / "station-log.csv", source)
    ref = RecordingRef("x", "a", str(source), files.fingerprint(source), Method())
    session.save(old / "s.tcomb", Document((ref,), "x"))
    assert "data/a.csv" in (old / "s.tcomb").read_text()
    shutil.move(old, new)
    moved = session.load(new / "s.tcomb").recordings[0]
    assert moved.path == str(new / "data" / "a.csv")
    assert session.check_source(moved) is None
    with Path(moved.path).open("a") as file:
        file.write("120000,0;1;1\n")
    assert "has changed since" in (session.check_source(moved) or "")


EVERYTHING = Method.of(
    average=InStep(Sync(channel=1, level=-0.5, falling=True)),
    leave_clipped=True,
    display=Display("Velocity", 2.0, 0.01, "decade", 10),
    bands=(Band(10, 1000, "overall"),),
    peaks=PeakSearch(low=5.0),
    window="kaiser:8.6",
    channel=2,
    stretch=Stretch(1, 2),
    struck=(Stretch(1.2, 1.3),),
    steps=(Keep(1.0, 9.0), Integral((0,), 2.0)),
    shaft=Shaft(Wanted(5.0, 30.0, (1, 2), "motor"), 1, Sync(channel=2, level=0.5), 3, (1.0, 2.5)),
)


def test_sessions_keep_everything_of_a_method(tmp_path: Path) -> None:
    ref = RecordingRef("x", "a", "/a.wav", Fingerprint(1, ""), EVERYTHING)
    trace = HeldTrace("t", "held", "x", EVERYTHING, shown=False)
    document = Document((ref,), "x", (trace,))
    session.save(tmp_path / "a.tcomb", document)
    assert session.load(tmp_path / "a.tcomb") == document


def test_presets_are_methods_apart_from_recordings(tmp_path: Path) -> None:
    file = tmp_path / "new" / "presets.json"
    assert presets.library(file) == ()
    presets.keep(file, Preset.of("bearings", EVERYTHING), Preset.of("Amps", Method()))
    presets.keep(file, Preset.of("Amps", Method.of(frame=512)))
    amps, bearings = presets.library(file)
    assert (amps.name, amps.method.frames.frame, bearings.name) == ("Amps", 512, "bearings")
    kept = bearings.method
    assert (kept.source.channel, kept.source.stretch, kept.averaging.struck) == (0, None, ())
    assert kept.shaft is None, "its channels are the recording's"
    shaft = of_comb(5, 30, (1, 2))
    here = Method.of(channel=1, stretch=Stretch(3, 4), struck=(Stretch(3.1, 3.2),), shaft=shaft)
    back = bearings.applied(here)
    assert back == EVERYTHING.having(
        channel=1, stretch=Stretch(3, 4), struck=(Stretch(3.1, 3.2),), shaft=shaft
    )
    presets.forget(file, "Amps")
    assert [one.name for one in presets.library(file)] == ["bearings"]


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda b: [], "is not a list of presets"),
        (lambda b: b | {"version": 9}, "is a list of presets of version 9"),
        (lambda b: b | {"presets": [{"name": 3, "method": {}}]}, "is damaged"),
        (
            lambda b: b | {"presets": [{"name": "a", "method": {"frames": {"window": "x"}}}]},
            "is damaged: Th",
        ),
    ],
)
def test_damaged_presets_are_refused(
    tmp_path: Path, change: Callable[[Any], Any], sentence: str
) -> None:
    file = tmp_path / "p.json"
    presets.save(file, (Preset("a", Method()),))
    file.write_text(json.dumps(change(json.loads(file.read_text()))))
    with pytest.raises(UserError, match=sentence):
        presets.load(file)


def edited(change: str) -> str:
    ref = RecordingRef("x", "a", "/a.wav", Fingerprint(1, ""), Method())
    body = json.loads(session.to_json(Document((ref,), "x"), Path("/")))
    exec(change, {"b": body, "m": body["document"]["recordings"][0]["method"]})
    return json.dumps(body)


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("", "is empty"),
        ("{", "is not a session of Tone Comb"),
        ("[1]", "is not a session of Tone Comb"),
        ("[" * 20_000, "is not a session of Tone Comb"),
        (edited("b['version'] = 99"), "version 99: this program reads versions 1 to 9"),
        (edited("m['frames']['frame'] = 'long'"), "is damaged"),
        (edited("m['frames']['frame'] = True"), "is damaged"),
        (edited("m['frames']['window'] = 'welch'"), "is damaged: There is no window called"),
        (edited("m['shown']['scaling'] = 'loud'"), "is damaged"),
        (edited("m['extra'] = 1"), "is damaged"),
        (edited("del m['frames']; del b['document']['recordings'][0]['id']"), "is damaged"),
        (edited("b['document']['current'] = 'y'"), "current recording is not on the shelf"),
        (edited("b['document'] = None"), "is damaged"),
    ],
)
def test_damaged_sessions_are_refused(tmp_path: Path, text: str, sentence: str) -> None:
    (tmp_path / "a.tcomb").write_text(text)
    with pytest.raises(UserError, match=sentence):
        session.load(tmp_path / "a.tcomb")


def test_a_failed_write_leaves_the_old_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "a.txt"
    atomic.write_text(path, "old")
    with pytest.raises(UserError, match="could not be written: no such file or directory"):
        atomic.write_text(tmp_path / "no" / "a.txt", "x")

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(UserError, match="no space left on device; choose another place"):
        atomic.write_text(path, "new")
    assert [p.name for p in tmp_path.iterdir()] == ["a.txt"]
    assert path.read_text() == "old"


@pytest.fixture
def analysis() -> Analysis:
    x = tone(20_000, 50, 1000, 2.0) + 0.01 * np.random.default_rng(1).standard_normal(20_000)
    return run(Method.of(frame=1000), recording(x))


def rows(text: str) -> tuple[list[str], list[list[str]]]:
    lines = [line for line in text.splitlines() if not line.startswith("#")]
    header, *body = csv.reader(io.StringIO("\n".join(lines)))
    return header, body


def test_tables(analysis: Analysis) -> None:
    header, body = rows(readings.spectrum(analysis).csv())
    assert header == ["frequency [Hz]", "amplitude [m/s² rms]"]
    assert len(body) == 501
    assert float(body[50][1]) == pytest.approx(2 / np.sqrt(2), rel=1e-3)
    assert analysis.sentence in readings.spectrum(analysis).csv()
    header, body = rows(readings.peaks(analysis).csv())
    assert header[2] == "amplitude [m/s² rms]"
    assert float(body[0][0]) == pytest.approx(50.0, abs=1e-4)
    copied = readings.peaks(analysis).tabbed().splitlines()
    assert copied[1].split("\t") == body[0]
    limited = replace(analysis, method=analysis.method.having(peaks=PeakSearch(low=40, high=60)))
    assert [row[0] for row in rows(readings.spectrum(limited).csv())[1]] == [
        str(f) for f in range(40, 61)
    ]


def test_our_tables_can_be_read_back(analysis: Analysis, tmp_path: Path) -> None:
    (tmp_path / "spectrum.csv").write_text(readings.spectrum(analysis).csv())
    opened = open_recording(tmp_path / "spectrum.csv")
    assert (opened.length, opened.sample_rate) == (501, None)


@given(value=st.floats(0, 1e5), std=st.floats(1e-9, 1e4))
def test_values_with_their_deviation(value: float, std: float) -> None:
    text = with_std(value, std)
    match = re.fullmatch(r"(\d+(?:\.(\d+))?)\((\d+)\)", text)
    assert match, text
    unit = 10.0 ** -len(match.group(2) or "")
    assert float(match.group(1)) == pytest.approx(value, abs=0.51 * unit + 1e-9 * value)
    assert int(match.group(3)) * unit == pytest.approx(max(std, 1e-7 * value), rel=0.5, abs=1e-9)


class _Tags(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.links: list[str] = []
        self.ids: list[str] = []
        self.text = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        for name, value in attrs:
            if name in ("src", "href", "xlink:href") and value and not value.startswith("#"):
                self.links.append(value)
            if name == "id" and value:
                self.ids.append(value)

    def handle_data(self, data: str) -> None:
        self.text += data


@pytest.mark.parametrize("log", [False, True])
def test_report(demo: Path, log: bool) -> None:
    source = demo / "drive-steady.h5"
    opened = replace(open_recording(source), name="<b>drive</b> & co")
    analysis = run(Method.of(channel=1, frame=32768), opened)
    html = report([ReportPart(opened, analysis, DrawnSpectrum(log_frequency=log))])
    page = _Tags()
    page.feed(html)
    assert page.links == [], "self-contained"
    assert len(page.ids) == len(set(page.ids))
    assert html.count("<svg") == 2
    assert analysis.sentence in page.text
    assert hashlib.sha256(source.read_bytes()).hexdigest() in page.text
    assert "<b>drive</b> & co" in page.text, "names are text, not markup"
    for wanted in (
        "12800 Hz",
        "768000 samples",
        "413.10000(4)",
        "0.8999(1)",
        "98.1 %",
        "Tone Comb 0.",
    ):
        assert wanted in page.text


def test_report_says_when_there_are_no_peaks() -> None:
    made = recording(np.random.default_rng(1).standard_normal(5000))
    view = DrawnSpectrum(decibels=False)
    html = report([ReportPart(made, run(Method.of(frame=256), made), view)])
    assert "No peak within 60" in html


def test_bands_held_traces_and_the_confidence_band_are_in_the_picture() -> None:
    made = recording(np.random.default_rng(1).standard_normal(5000))
    method = Method.of(frame=256, scaling="psd", bands=(Band(10, 100, "low"), Band(100, 200)))
    analysis, other = run(method, made), run(method.having(frame=1024), made)
    newton = run(method, recording(np.ones(500), unit="N"))
    others = (OtherTrace("longer", other, "#B4572A"), OtherTrace("force", newton, "#4C7A3D"))
    view = DrawnSpectrum(confidence=True, others=others)
    low, high = band_db(analysis) or (0.0, 0.0)
    figure = Figure()
    axes = figure.add_subplot()
    figures.spectrum_axes(axes, analysis, view)
    legend = axes.get_legend()
    assert legend is not None
    texts = [text.get_text() for text in legend.get_texts()]
    assert [text.partition(":")[0] for text in texts] == [
        "now",
        f"95 % band, −{-low:.1f} to +{high:.1f} dB",
        "longer",
    ]
    held = axes.get_lines()[1]
    wanted = 10 * np.log10(other.curve.values[1:] / 1e-12)
    assert np.nanmax(held.get_ydata()) == pytest.approx(wanted.max())
    html = report([ReportPart(made, analysis, view)])
    level = f"{analysis.band_level(10, 100):.4g} m/s²"
    assert f">low 10–100 Hz rms: {level}" in html
    assert ">100–200 Hz rms: " in html


@pytest.mark.parametrize(
    ("view", "display"),
    [
        (DrawnSpectrum(), Display()),
        (DrawnSpectrum(True, False, 10, 200), Display(drawn="octave")),
        (DrawnSpectrum(bottom=0, top=90), Display(drawn="total")),
    ],
)
def test_pictures(analysis: Analysis, view: DrawnSpectrum, display: Display) -> None:
    analysis = analysis.displayed(Shown("psd", "rms", display))
    envelope = envelope_of(np.sin(np.arange(2000.0)), 0, 500)
    spectrum, heading = figures.spectrum_panel(analysis, view), figures.heading_of(analysis)
    waveform = figures.waveform_panel(envelope, 1000.0, (0.0, 1.0), "m/s²")
    png = figures.stacked([waveform, spectrum], "png", heading)
    assert png.startswith(b"\x89PNG")
    svg = figures.stacked([spectrum], "svg", heading)
    assert ElementTree.fromstring(svg).tag.endswith("svg")
    assert svg == figures.stacked([spectrum], "svg", heading), "same input, same file"


def test_labels_in_the_picture_keep_off_each_other_and_the_curve() -> None:
    """Thirty tones within an eighth of the axis: as in the bench, whatever the resolution that it
    is written with."""
    t, chance = np.arange(60_000) / 4000, np.random.default_rng(7)
    x = 0.02 * chance.standard_normal(len(t))
    for f in np.linspace(300, 540, 30) + chance.uniform(-2, 2, 30):
        x += chance.uniform(0.05, 1) * np.cos(2 * np.pi * f * t)
    method = Method.of(frame=8192)
    analysis = run(method.having(peaks=PeakSearch(most=30)), recording(x, fs=4000.0))
    figure = Figure(figsize=(10, 4.4), layout="constrained")
    panel = figures.spectrum_panel(analysis, DrawnSpectrum(low=0.0, high=2000.0))
    finish = panel.draw(figure)
    figure.draw_without_rendering()
    assert callable(finish)
    finish()
    for dpi in (100, 200):
        figure.dpi = dpi
        figure.draw_without_rendering()
        (axes,) = figure.axes
        (line,) = axes.lines
        boxes = [Text.get_window_extent(text) for text in axes.texts]
        assert len(boxes) >= 6
        curve = axes.transData.transform(line.get_xydata())
        for i, box in enumerate(boxes):
            assert not any(box.overlaps(other) for other in boxes[:i])
            under = curve[(curve[:, 0] >= box.x0) & (curve[:, 0] <= box.x1), 1]
            assert not len(under) or under.max() <= box.y0 + 0.5
