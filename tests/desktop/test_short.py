"""In short, at the head of the readings: it leads to what it tells of."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from tonecomb.desktop.bench import Bench

Settle = Callable[[], None]


def test_sentences_lead_to_their_places(opened: Bench, settle: Settle) -> None:
    short = opened.readings.short
    opened.store.edit_method("Choose", channel=0)
    settle()
    assert short.isVisible() and "98 % in families" in short.parts[0].text
    assert "24.3000(1)&nbsp;Hz, harmonics 1–6." in short.words.text()
    assert short.more.text().endswith("more") and "34 ×" not in short.words.text()
    first = short.words.minimumHeight()
    assert first < 120
    QTest.mouseClick(short.more, Qt.MouseButton.LeftButton)
    assert "= 34 × family A" in short.words.text()
    assert short.words.height() >= short.words.heightForWidth(short.words.width())
    # A click on the level shows its page, one on the family drops its comb; again, it is there.
    QTest.mouseClick(short.words, Qt.MouseButton.LeftButton, pos=QPoint(20, 52))
    assert opened.readings.page == "levels"
    for _ in range(2):
        QTest.mouseClick(short.words, Qt.MouseButton.LeftButton, pos=QPoint(20, 72))
        settle()
        ref = opened.store.ref
        assert ref is not None and [round(one.spacing, 3) for one in ref.combs] == [24.3]
        assert opened.readings.page == "combs"
    opened.stage.spectrum.set_limits(0, 100)
    short.words.linkActivated.emit(str(len(short.parts) - 1))
    low, high = opened.stage.spectrum.limits()
    assert low < 826.2 < high and opened.readings.page == "peaks"


def test_it_follows_what_is_analysed(opened: Bench, settle: Settle) -> None:
    short = opened.readings.short
    before = short.parts
    opened.store.edit_method("Choose", channel=0)
    settle()
    assert short.parts != before and short.parts[0].text.startswith("0.7319 m/s² rms")
    opened.store.undo()
    settle()
    assert short.parts == before
    opened.workspace.remove(opened.store.document.current or "")
    settle()
    assert opened.store.document.current is None or short.parts != before


def test_nothing_is_told_of_another_recording(opened: Bench) -> None:
    short, analysis = opened.readings.short, opened.context.results.analysis
    assert analysis is not None and short.parts
    before = short.parts
    short.follow(analysis.bare(), ())
    assert short.parts == before, "of the same it stays until there is something new"
    other = replace(analysis.estimate, recording_id="another")
    short.follow(replace(analysis.bare(), estimate=other), ())
    assert short.parts == () and short.isHidden()
