"""Made recordings by mouse and keys: parts, handles, the fold, what lies between samples, a slower
logger, a known tone; and sessions that hold them."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QPushButton
from tests.desktop import mouse

from tonecomb.core.record.truth import folded
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.synthesis.hits import Hits
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.noise import Noise
from tonecomb.core.synthesis.sampling import Sampling
from tonecomb.core.synthesis.starters import STARTERS
from tonecomb.core.synthesis.tones import Sweep, Teeth, Tone
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.dial import Dial, DialPhrase
from tonecomb.desktop.kit.widgets import Number
from tonecomb.desktop.stage.maker.phrase_editor import PhraseEditor
from tonecomb.formats import made_json
from tonecomb.formats.session import session

Settle = Callable[[], None]
LEFT = Qt.MouseButton.LeftButton


def description(bench: Bench) -> Made:
    found = bench.context.making.made
    assert found is not None
    return found


def click(phrase: DialPhrase) -> PhraseEditor:
    QTest.mouseClick(phrase, LEFT)
    found = QApplication.activePopupWidget()
    assert isinstance(found, PhraseEditor)
    return found


def type_into(field: object, text: str) -> None:
    assert isinstance(field, (Number, QLineEdit))
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def sampling(bench: Bench, key: str, text: str, field: str = "") -> None:
    """Type a setting of the sampling where it stands in the sentence."""
    popover = click(bench.stage.maker.sampling.phrases[key])
    type_into(popover.fields[field or key], text)
    popover.close()


@pytest.fixture
def plain(bench: Bench, settle: Settle) -> Bench:
    """What a new user gets who clicks ‘Make a signal’ in an empty bench."""
    links = bench.stage.empty.findChildren(QPushButton)
    QTest.mouseClick(next(one for one in links if one.text() == "Make a signal"), LEFT)
    settle()
    return bench


@pytest.fixture
def ten(bench: Bench, settle: Settle) -> Bench:
    """Several parts, one of them above half the rate."""
    bench.making.begin(
        Made(
            "ten",
            parts=(
                Tone(61.8, 2.0),
                Tone(176.4, 1.2, phase=90.0),
                Sweep(8.0, 24.0),
                Noise(amount=0.02),
            ),
            sampling=Sampling(256.0, 256, 12, 5.0),
        )
    )
    settle()
    return bench


@pytest.mark.parametrize("rate", [48.0, 110.0, 140.0, 310.0, 640.0])
@pytest.mark.parametrize("count", [12, 250])
def test_a_new_user_samples_a_tone(plain: Bench, settle: Settle, rate: float, count: int) -> None:
    """61.8 Hz by mouse alone, at each rate and length: where it shows is what the strip says."""
    sampling(plain, "rate", f"{rate:g}")
    sampling(plain, "samples", str(count))
    settle()
    made = description(plain)
    assert (made.sampling.rate, made.sampling.samples) == (rate, count)
    place = folded(61.8, rate)
    (line,) = plain.stage.spectra.folds.lines
    assert line.shows == pytest.approx(place) and line.is_at == 61.8
    note = plain.stage.maker.parts[0].note.text()
    assert (f"shows at {place:g} Hz" in note) == (rate < 123.6)
    (row,) = plain.readings.truth.rows
    assert row.shows == pytest.approx(place)
    assert plain.ruler.figure("takes") == f"{count / rate:.4g} s, {count} samples"
    # A dozen samples hold a period or two: what is read then is told as such, or is right.
    if count == 250:
        assert row.read == pytest.approx(place, abs=0.05 * rate / count)


def test_every_phrase_is_edited_where_it_stands(ten: Bench, settle: Settle) -> None:
    maker = ten.stage.maker
    words = [[piece.text() for piece in one.phrases.values()] for one in maker.parts]
    assert words[1] == ["176.4 Hz", "1.2 m/s² peak", "90°"]
    assert maker.parts[1].note.text() == "above half the rate: shows at 79.6 Hz"
    popover = click(maker.parts[0].phrases["amplitude"])
    type_into(popover.fields["amplitude"], "1.5")
    popover.fields["level"].picked.emit("rms")  # type: ignore[attr-defined]
    popover.close()
    assert description(ten).parts[0] == Tone(61.8, 1.5, "rms")
    assert maker.parts[0].phrases["amplitude"].text() == "1.5 m/s² rms"
    popover = click(maker.parts[0].phrases["frequency"])
    type_into(popover.fields["frequency"], "-3")
    assert "frequency of -3 Hz; give one above 0" in popover.wrong.text()
    popover.close()
    assert description(ten).parts[0] == Tone(61.8, 1.5, "rms"), "nothing changed"
    ten.store.undo()
    ten.store.undo()
    assert description(ten).parts[0] == Tone(61.8, 2.0)
    sampling(ten, "samples", "2.5", "duration")
    assert description(ten).sampling.samples == 640
    popover = click(maker.sampling.phrases["bits"])
    type_into(popover.fields["full_scale"], "0")
    assert "full scale of 0" in popover.wrong.text()
    popover.close()


def test_parts_come_and_go_by_their_menus(plain: Bench, settle: Settle) -> None:
    maker = plain.stage.maker
    for action in maker.menu().actions():
        action.trigger()
    settle()
    kinds = [type(one) for one in description(plain).parts]
    assert kinds[0] is Tone and set(kinds[1:]) >= {Tone, Teeth, Sweep, Hits, Noise}
    assert len(maker.parts) == 9
    for text, attribute in (
        ("Swing its amplitude", "am"),
        ("Swing its frequency", "fm"),
        ("Only for a part of the time", "start"),
    ):
        next(a for a in maker.parts[0].menu().actions() if a.text() == text).trigger()
        assert attribute in maker.parts[0].phrases
    popover = click(maker.parts[0].phrases["fm"])
    link = next(b for b in popover.findChildren(QPushButton) if b.text() == "Without it")
    QTest.mouseClick(link, LEFT)
    assert "fm" not in maker.parts[0].phrases and description(plain).parts[0].am == 20.0
    hits = maker.parts[kinds.index(Hits)]
    popover = click(hits.phrases["rung"])
    type_into(popover.fields["rung"], "62 Hz 2 % 0.5")
    popover.close()
    assert hits.phrases["rung"].text() == "62 Hz (damping 2 %, 0.5 m/s²)"
    next(a for a in maker.parts[0].menu().actions() if a.text() == "Drop").trigger()
    assert len(maker.parts) == 8 == len(description(plain).parts)


def test_wheel_and_handle_change_what_they_stand_on(ten: Bench, settle: Settle) -> None:
    phrase = ten.stage.maker.parts[0].phrases["frequency"]
    place = QPointF(phrase.rect().center())

    def wheel(notches: int, modifier: Qt.KeyboardModifier) -> None:
        event = QWheelEvent(
            place,
            phrase.mapToGlobal(place),
            QPoint(),
            QPoint(0, 120 * notches),
            Qt.MouseButton.NoButton,
            modifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(phrase, event)

    wheel(3, Qt.KeyboardModifier.NoModifier)
    assert description(ten).parts[0] == Tone(62.1, 2.0)
    wheel(-1, Qt.KeyboardModifier.ShiftModifier)
    assert description(ten).parts[0] == Tone(61.1, 2.0)
    popover = click(ten.stage.maker.sampling.phrases["rate"])
    dial = popover.dials["rate"]
    seen: list[float] = []
    ten.context.results.analysis_changed.connect(lambda a: seen.append(a.fs) if a else None)
    steps_before = len(ten.store.history.done)
    middle = dial.height() // 2
    mouse.drag(dial, QPoint(dial.width() // 2, middle), QPoint(round(dial.place_of(700.0)), middle))
    settle()
    rate = description(ten).sampling.rate
    assert rate == pytest.approx(700, rel=0.05)
    assert len(set(seen)) > 2, "the spectrum follows while it is dragged"
    assert len(ten.store.history.done) == steps_before + 1, "and it is one step to undo"
    analysis = ten.context.results.analysis
    assert analysis is not None and analysis.fs == rate and analysis.found is not None
    assert not ten.context.scheduler.lively
    assert not any(row.is_folded for row in ten.readings.truth.rows)
    QTest.keyClick(dial, Qt.Key.Key_Left)
    assert description(ten).sampling.rate < rate
    assert isinstance(dial, Dial)
    popover.close()


def test_the_wheel_over_window_and_frame(ten: Bench, settle: Settle) -> None:
    def wheel(key: str, notches: int) -> None:
        phrase = ten.method_line.phrase(key)
        assert phrase is not None
        place = QPointF(phrase.rect().center())
        event = QWheelEvent(
            place,
            phrase.mapToGlobal(place),
            QPoint(),
            QPoint(0, 120 * notches),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(phrase, event)

    wheel("window", -1)
    wheel("frame", -1)
    method = ten.store.method
    assert method is not None and method.frames.frame == 128
    assert method.frames.window != "hann"
    wheel("window", 1)
    assert ten.store.method is not None and ten.store.method.frames.window == "hann"


def test_the_fold_is_told_and_undone(ten: Bench, settle: Settle) -> None:
    truth = ten.readings.truth
    assert ten.readings.page == "truth" or ten.readings.tabs["truth"].isVisible()
    ten.readings.show_page("truth")
    cells = [[truth.tree.topLevelItem(i).text(c) for c in range(3)] for i in range(4)]  # type: ignore[union-attr]
    assert cells[1][0] == "176.4" and cells[1][1].startswith("79.6") and cells[1][2] == "folded"
    assert cells[2][0] == "8–24" and cells[2][2] == "moves"
    assert "folded to 79.6 Hz; read 79.600(" in truth.told.text()
    assert "176.4 Hz shows at 79.6 Hz" in ten.stage.spectra.folds.toolTip()
    strip = ten.stage.spectra.folds
    assert strip.isVisible() and strip.x_of(256.0) == pytest.approx(strip.width() - 18)
    # The strip is drawn: at the folded place and at the true one there is the part's colour.
    image = strip.grab().toImage()
    colour = image.pixelColor(round(strip.x_of(176.4)), 36).name()
    assert colour == ten.stage.maker.parts[1].note.styleSheet().removeprefix("color: ")
    assert truth.remedy.text() == "Sample at 512 Hz"
    QTest.mouseClick(truth.remedy, LEFT)
    settle()
    assert description(ten).sampling == Sampling(512.0, 512, 12, 5.0), "for as long as before"
    assert not truth.remedy.isVisible()
    assert truth.text().startswith("part\twhat\tput in [Hz]\tshows at [Hz]\tread [Hz]")


def test_what_lies_between_the_samples(ten: Bench, settle: Settle) -> None:
    seen = ten.stage.samples
    assert seen.shown is not None and seen.dots.isVisible()
    ten.stage.waveform.set_limits(0.2, 0.3)
    settle()
    found = seen.shown
    assert found is not None and found.there is not None
    t = found.time
    true = 2 * np.cos(2 * np.pi * 61.8 * t) + 1.2 * np.cos(2 * np.pi * 176.4 * t + np.pi / 2)
    true += np.cos(2 * np.pi * (8 * t + 8 * t**2))
    assert np.abs(found.there - true).max() < 1e-9
    # What the samples imply has the tone where it folds to, and goes through every sample.
    implied = 2 * np.cos(2 * np.pi * 61.8 * t) + 1.2 * np.cos(2 * np.pi * 79.6 * t - np.pi / 2)
    implied += np.cos(2 * np.pi * (8 * t + 8 * t**2))
    assert np.abs(found.implied - implied).max() < 0.12, "but for noise and steps of 12 bits"
    assert np.interp(found.at[3:-3], t, found.implied) == pytest.approx(found.taken[3:-3], abs=0.05)
    assert not ten.stage.waveform.inside.isVisible()
    assert "what was there" in ten.stage.waveform.legend.text()


def test_sessions_hold_the_description(ten: Bench, settle: Settle, tmp_path: Path) -> None:
    ten.context.held.hold()
    sampling(ten, "rate", "640")
    settle()
    held, now = ten.context.held.shown[0].analysis, ten.context.results.analysis
    assert now is not None and (held.fs, now.fs) == (256.0, 640.0), "held means held"
    file = tmp_path / "s.tcomb"
    session.save(file, ten.store.document)
    told = json.loads(file.read_text())["document"]["recordings"][0]
    assert told["path"] == "" and told["given"]["made"]["parts"][1]["frequency"] == 176.4
    before = ten.store.document
    ten.workspace.may_discard = lambda what: True  # type: ignore[method-assign]
    ten.workspace.open_session(file)
    settle()
    assert ten.store.document == before
    assert ten.context.results.analysis is not None
    assert ten.shelf.tree.topLevelItem(0).text(0) == "ten"  # type: ignore[union-attr]


def test_descriptions_are_files(
    ten: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "hum.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(file), ""))
    ten.action("Save the description…").trigger()
    assert made_json.load(file) == description(ten)
    ten.opening.open_paths([file])
    settle()
    assert len(ten.store.document.recordings) == 2
    assert description(ten) == made_json.load(file)
    file.write_text(file.read_text().replace("176.4", "-1"))
    ten.opening.open_paths([file])
    settle()
    assert len(ten.store.document.recordings) == 2
    assert "frequency of -1 Hz" in ten.context.notices.text


@pytest.mark.parametrize("one", STARTERS, ids=lambda one: one.key)
def test_starters_open_from_the_menu(bench: Bench, settle: Settle, one: object) -> None:
    title, made = one.title, one.made  # type: ignore[attr-defined]
    bench.action(title).trigger()
    settle()
    assert description(bench) == made
    assert bench.stage.maker.hint.text() == made.hint
    assert bench.readings.page == "truth" and bench.readings.truth.rows
    assert bench.context.results.analysis is not None


def test_a_slower_logger_stands_beside(opened: Bench, settle: Settle) -> None:
    """The gear mesh without a filter: the same lines as in the recording made too slowly."""
    opened.action("As a slower logger would show it…").trigger()
    popover = QApplication.activePopupWidget()
    assert popover is not None
    popover.close()
    settle()
    method, ref = opened.store.method, opened.store.ref
    assert method is not None and ref is not None and opened.stage.spectra.side_by_side
    assert method.source.steps == (AsSampled(3000.0),)
    assert method.frames.frame == 8192, "as long in time as before"
    assert len(opened.store.document.held) == 1
    opened.store.edit_method("Slower", steps=(AsSampled(500.0, no_filter=True),), frame=2048)
    settle()
    analysis = opened.context.results.analysis
    assert analysis is not None
    found = [peak.tone.frequency for peak in analysis.highest(5)]
    assert any(abs(f - 86.9) < 0.01 for f in found)
    opened.stage.waveform.set_limits(1.0, 1.2)
    settle()
    between = opened.stage.samples.shown
    assert between is not None and between.there is not None
    assert np.std(between.there - between.implied) > 0.3, "what was there is more than they say"


def test_a_known_tone_calibrates(bench: Bench, settle: Settle) -> None:
    """A calibrator of 10 m/s² rms that reads 9.6, and a clock that is 200 ppm slow."""
    bench.making.begin(
        Made(
            "measured",
            parts=(Tone(159.155 * 1.0002, 9.6, "rms"), Noise(amount=0.02)),
            sampling=Sampling(2048.0, 20480),
        )
    )
    settle()
    bench.action("Check against a known tone…").trigger()
    dialog = bench.making.dialog
    assert dialog is not None and dialog.checked is not None
    checked = dialog.checked
    assert checked.parts_per_million == pytest.approx(200, abs=4 * checked.ppm_std)
    assert checked.decibels == pytest.approx(20 * np.log10(0.96), abs=4 * checked.decibels_std)
    assert "off by 200" in dialog.told.text() and "dB" in dialog.told.text()
    dialog.frequency.setValue(500.0)
    assert "There is no peak near 500 Hz" in dialog.told.text() and not dialog.go.isEnabled()
    dialog.frequency.setValue(159.155)
    QTest.mouseClick(dialog.go, LEFT)
    settle()
    analysis = bench.context.results.analysis
    assert analysis is not None
    (peak,) = analysis.highest(1)
    assert analysis.amplitude(peak)[0] == pytest.approx(10.0, rel=1e-4)


def test_renaming_and_units_of_a_made_one(
    ten: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    from PyQt6.QtWidgets import QInputDialog

    ref = ten.store.ref
    assert ref is not None
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("hum", True))
    ten.workspace.rename(ref.id)
    assert description(ten).name == "hum"
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("µm", True))
    ten.workspace.set_unit(ref.id)
    settle()
    assert description(ten) == replace(description(ten), unit="µm")
    assert ten.stage.maker.parts[0].phrases["amplitude"].text() == "2 µm peak"
