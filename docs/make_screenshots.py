"""Makes the pictures in docs/screenshots from the demo data: ``./run screenshots``."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING
from unittest.mock import patch

if TYPE_CHECKING:
    from tonecomb.desktop.bench import Bench

os.environ["QT_QPA_PLATFORM"] = "offscreen"
SHOTS = Path(__file__).parent / "screenshots"
SIZE = (1280, 800)


def main() -> None:
    with tempfile.TemporaryDirectory() as home:
        os.environ |= {"XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home}
        bench_pictures()
        report_picture(Path(home))


def bench_pictures() -> None:
    from PyQt6.QtTest import QTest

    from tonecomb.core.record.recording import Stretch
    from tonecomb.desktop.app import make_application

    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.resize(*SIZE)
    bench.show()

    def settle() -> None:
        QTest.qWait(100)
        while bench.context.scheduler.busy:
            QTest.qWait(20)
        QTest.qWait(100)

    bench.opening.open_demo()
    settle()
    bench.store.edit_method("Choose stretch", stretch=Stretch(12.0, 32.0))
    settle()
    spectrum = bench.stage.spectrum
    spectrum.set_limits(0, 900)
    settle()
    bench.grab().save(str(SHOTS / "bench-paper.png"))
    bench.layout_.toggle_theme()
    bench.readings.peaks.table.selectRow(10)
    settle()
    bench.grab().save(str(SHOTS / "bench-night.png"))
    bench.layout_.toggle_theme()
    before = bench.store.document
    bench.finding.find_combs()
    spectrum.set_limits(0, 520)
    bench.readings.combs.tree.setCurrentItem(bench.readings.combs.tree.topLevelItem(2))
    settle()
    bench.grab().save(str(SHOTS / "combs.png"))
    bench.readings.show_page("peaks")
    bench.store.apply("Back", before)
    changes_picture(bench, settle)
    tour_picture(bench, settle)
    bench.store.apply("Back", before)
    made_pictures(bench, settle)
    live_picture(bench, settle)
    resonance_picture(bench, settle)
    with tempfile.TemporaryDirectory() as plant:
        overview_picture(bench, settle, Path(plant))
    time_pictures(bench, settle)
    filter_pictures(bench, settle)
    transfer_pictures(bench, settle)
    import_picture(bench, settle)
    bench.store.mark_saved(Path("screenshots"), bench.store.document)
    bench.close()
    del app


def changes_picture(bench: Bench, settle: Callable[[], None]) -> None:
    """The bullwheel against the gearbox, by the list of what changed."""
    from tonecomb.core.method.document import select

    settle()
    bench.context.held.hold()
    document = bench.store.document
    bench.store.apply("Other", select(document, document.current, 2))
    settle()
    bench.readings.show_page("changes")
    settle()
    bench.readings.changes.tree.setCurrentItem(bench.readings.changes.tree.topLevelItem(2))
    settle()
    bench.grab().save(str(SHOTS / "changes.png"))
    bench.readings.show_page("peaks")


def tour_picture(bench: Bench, settle: Callable[[], None]) -> None:
    """The walk through one job, at its third step."""
    bench.store.undo()
    bench.store.undo()
    settle()
    bench.tour.start()
    for _ in range(2):
        assert bench.tour.callout is not None
        bench.tour.callout.onward.emit()
        settle()
    bench.grab().save(str(SHOTS / "tour.png"))
    bench.tour.leave()


def live_picture(bench: Bench, settle: Callable[[], None]) -> None:
    """The simulated node, whose motor was turned up a moment ago, with a comb that follows."""
    from PyQt6.QtTest import QTest

    from tonecomb.desktop.stage.bars.live_bar import Last

    before = bench.store.document
    bench.stage.live_bar.choice.choose(Last(10.0))
    bench.live.go_with_node()
    for _ in range(400):
        QTest.qWait(50)
        signal = bench.store.current
        if signal is not None and signal.name == "ropeway node" and signal.duration >= 10:
            break
    bench.store.edit_method("Gearbox", channel=1)
    QTest.qWait(1500)
    bench.context.combs.drop(24.3)
    for _ in range(5):
        bench.live.tell_node("+")
    bench.stage.toggle_pane("spectrogram")
    bench.stage.spectrum.set_limits(0, 640)
    QTest.qWait(4000)
    bench.grab().save(str(SHOTS / "live.png"))
    bench.stage.toggle_pane("spectrogram")
    bench.live.end()
    settle()
    bench.store.apply("Back", before)
    settle()


def made_pictures(bench: Bench, settle: Callable[[], None]) -> None:
    """A made signal."""
    from tonecomb.core.synthesis.made import Made
    from tonecomb.core.synthesis.noise import Noise
    from tonecomb.core.synthesis.sampling import Sampling
    from tonecomb.core.synthesis.tones import Sweep, Tone

    before = bench.store.document
    parts = (
        Tone(61.8, 2.0),
        Tone(143.0, 1.2, phase=90.0, am=40.0, am_rate=6.0),
        Sweep(8.0, 24.0, amplitude=0.5),
        Noise(amount=0.02),
    )
    bench.making.begin(Made("cable hum", parts=parts, sampling=Sampling(512.0, 1024, 12, 5.0)))
    settle()
    bench.stage.waveform.set_limits(0.2, 0.4)
    settle()
    bench.grab().save(str(SHOTS / "made.png"))
    bench.store.apply("Back", before)
    settle()
    bench.store.apply("Back", before)
    settle()


def time_pictures(bench: Bench, settle: Callable[[], None]) -> None:
    """A comb through spectrum and spectrogram; a run-up as waterfall, as trend, by its orders."""
    from PyQt6.QtCore import QPointF

    from tonecomb.core.estimate.bands import Band
    from tonecomb.core.estimate.shaft import of_comb
    from tonecomb.core.estimate.tracks import Wanted
    from tonecomb.core.method.document import select

    before, stage = bench.store.document, bench.stage
    bench.store.edit_method("Change", frame=8192)
    stage.toggle_pane("spectrogram")
    settle()
    bench.finding.find_combs()
    stage.spectrum.set_limits(0, 640)
    settle()
    stage.panes["spectrogram"].plot.hover(QPointF(478.0, 22.9))
    bench.grab().save(str(SHOTS / "spectrogram.png"))
    stage.panes["spectrogram"].plot.hover(None)
    stage.toggle_pane("spectrogram")
    ref = next(ref for ref in before.recordings if ref.name == "run-up")
    bench.store.apply("Run-up", select(before, ref.id, 1))
    bench.store.edit_method("Change", frame=4096)
    settle()
    tracks = (Wanted(4, 31, (1, 2, 17), "motor"), Wanted(70, 500, (), "mesh"))
    bands = (Band(55, 68, "first mode"), Band(130, 156, "second mode"))
    bench.store.edit_method("Follow", tracks=tracks, bands=bands)
    stage.toggle_pane("trend")
    settle()
    stage.panes["trend"].show_cursor(45.0)
    bench.grab().save(str(SHOTS / "trend.png"))
    stage.toggle_pane("trend")
    bench.store.apply("Bracket", select(bench.store.document, ref.id, 1))
    bench.store.edit_method("Shaft", shaft=replace(of_comb(4.5, 30, (1, 2, 17)), channel=0))
    stage.toggle_pane("run-up")
    settle()
    stage.panes["run-up"].map.hover(QPointF(17.0, 12.9))
    bench.grab().save(str(SHOTS / "run-up.png"))
    stage.panes["run-up"].map.hover(None)
    stage.toggle_pane("run-up")
    bench.store.apply("Back", before)
    settle()


def filter_pictures(bench: Bench, settle: Callable[[], None]) -> None:
    """Filters with before and after; a region of the run-up; a bearing's hits; a cepstrum."""
    from tonecomb.core.method.document import select, set_steps
    from tonecomb.core.steps.comb_notch import CombNotch
    from tonecomb.core.steps.filters import BandPass

    before, stage = bench.store.document, bench.stage
    drive = bench.store.ref
    assert drive is not None
    bench.store.edit_method("All of it", stretch=None, frame=32768)
    assert bench.store.ref is not None
    steps = (CombNotch(50.0), BandPass(200.0, 650.0, 4, "elliptic"))
    bench.store.apply("Filter", set_steps(bench.store.document, bench.store.ref, steps))
    stage.toggle_pane("before-after")
    settle()
    stage.spectrum.set_limits(0, 1000)
    settle()
    bench.grab().save(str(SHOTS / "filter.png"))
    stage.toggle_pane("before-after")
    bench.store.apply("Bullwheel", select(before, drive.id, 2))
    bench.store.edit_method("All of it", stretch=None)
    stage.toggle_pane("envelope")
    settle()
    stage.spectrum.show_all()
    settle()
    bench.grab().save(str(SHOTS / "envelope.png"))
    stage.toggle_pane("envelope")
    bench.store.apply("Back", before)
    settle()


def resonance_picture(bench: Bench, settle: Callable[[], None]) -> None:
    """A mode of the bracket, fitted to one tap's decay."""
    from tonecomb.core.method.document import select
    from tonecomb.core.record.recording import Stretch

    before = bench.store.document
    taps = next(ref for ref in before.recordings if ref.name == "bracket-taps")
    bench.store.apply("Bracket", select(before, taps.id, 1))
    bench.store.edit_method("One tap", stretch=Stretch(6.9, 9.0), frame=16384, window="rectangular")
    settle()
    bench.stage.spectrum.set_limits(100, 190)
    bench.readings.show_page("resonances")
    modes = bench.readings.resonances.tree
    modes.setCurrentItem(modes.topLevelItem(1))
    settle()
    bench.grab().save(str(SHOTS / "resonance.png"))
    bench.readings.show_page("peaks")
    bench.store.apply("Back", before)
    settle()


def transfer_pictures(bench: Bench, settle: Callable[[], None]) -> None:
    """The bracket's taps, one set aside, with curves, coherence and fit; then the modes' shapes."""
    from PyQt6.QtTest import QTest

    from tonecomb.core.method.document import PeakNote, select, set_mode_notes, set_sketch
    from tonecomb.core.method.frf_settings import FrfSettings
    from tonecomb.core.method.sketch import Place, Sketch
    from tonecomb.desktop.stage.transfer.pane import TransferPane

    before = bench.store.document
    taps = next(ref for ref in before.recordings if ref.name == "bracket-taps")
    bench.store.apply("Hammer", select(before, taps.id, 0))
    bench.stage.show_pane("transfer")
    asked = FrfSettings(0, low=20.0, high=600.0, aside=(2,))
    bench.store.edit_method("Choose transfer function", between=asked)
    settle()
    bench.readings.show_page("modes")
    settle()
    bench.grab().save(str(SHOTS / "transfer.png"))
    pane = bench.stage.panes["transfer"]
    assert isinstance(pane, TransferPane)
    ref = bench.store.ref
    assert ref is not None
    places = (Place(1), Place(2, 0.9, 0, 0.7, "+x"), Place(3, 0.9))
    drawn = set_sketch(bench.store.document, ref, Sketch(places, ((1, 3), (3, 2))))
    bench.store.apply("Sketch", drawn)
    names = (PeakNote(61.8, "first bending"), PeakNote(143.0, "rail", "known"))
    ref = bench.store.ref
    assert ref is not None
    bench.store.apply("Name", set_mode_notes(bench.store.document, ref, names))
    pane.way.choose("shapes")
    pane.way.picked.emit("shapes")
    QTest.qWait(200)
    with patch("tonecomb.desktop.stage.transfer.shapes.time.monotonic", return_value=0.0):
        bench.grab().save(str(SHOTS / "mode-shapes.png"))  # as far out as they swing
    bench.readings.show_page("peaks")
    bench.stage.toggle_pane("transfer")
    bench.store.apply("Back", before)
    settle()


def import_picture(bench: Bench, settle: Callable[[], None]) -> None:
    """How the logger's file is read, with its gap and missing values."""
    from tonecomb.demo import ropeway

    bench.opening.open_paths([ropeway.folder() / "station-log.csv"])
    settle()
    preview = bench.opening.dialog
    assert preview is not None
    settle()
    preview.grab().save(str(SHOTS / "import-preview.png"))
    preview.reject()


def overview_picture(bench: Bench, settle: Callable[[], None], folder: Path) -> None:
    """What came of all recordings of the ropeway, within a limit."""
    from tonecomb.batches.plan import Plan, Rule
    from tonecomb.batches.run import run
    from tonecomb.batches.sources import recordings_in
    from tonecomb.core.method.given import Given, Import
    from tonecomb.core.results.knowledge import Knowledge
    from tonecomb.core.results.zones import Limit, Zone
    from tonecomb.demo import ropeway
    from tonecomb.desktop.dialogs.many import OverviewDialog

    zones = (Zone("A", 0.3), Zone("B", 0.7), Zone("C", 1.1))
    plan = Plan(
        (Rule(unit="m/s²"),),
        (Limit("overall", "overall", zones, unit="m/s²", accept="B"),),
        said=Knowledge(given=Given(how=Import(missing="interpolate"))),
    )
    done = run(plan, recordings_in([ropeway.folder()]), folder / "plant", reports=False)
    told = f"{len(done.outcomes)} recordings: {len(done.exceeded)} exceed a limit"
    shown = OverviewDialog(bench, done.outcomes, told, folder)
    shown.show()
    settle()
    shown.grab().save(str(SHOTS / "overview.png"))
    shown.close()


def report_picture(folder: Path) -> None:
    """The report as a browser shows it, and the first page of the PDF."""
    from tonecomb.demo import ropeway

    command = [
        sys.executable,
        "-m",
        "tonecomb",
        "analyse",
        ropeway.folder() / ropeway.FILES[0],
        "--channel",
        "2",
        "--range",
        "0:900",
        "--out",
        folder,
        "--pdf",
        "a4",
        "--cover",
        "client=Quillbeck ropeway",
        "--cover",
        "machine=Drive station, gearbox",
        "--remark",
        "The mesh is as loud as in May.",
    ]
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    subprocess.run(
        [
            "pdftoppm",
            "-png",
            "-r",
            "110",
            "-f",
            "1",
            "-l",
            "1",
            "-singlefile",
            folder / "report.pdf",
            SHOTS / "report-pdf",
        ],
        check=True,
    )
    browser = [
        "chromium",
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--hide-scrollbars",
        f"--user-data-dir={folder / 'browser'}",
        "--window-size=1080,1960",
        f"--screenshot={SHOTS / 'report.png'}",
        (folder / "report.html").as_uri(),
    ]
    subprocess.run(browser, check=True, stderr=subprocess.DEVNULL)


if __name__ == "__main__":
    main()
