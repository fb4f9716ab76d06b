"""Peaks on a spectrum: a dot on each, a line over the range through which it moves, a ring about
the chosen one, and over them what each is: its frequency, or the tooth of a comb."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF

from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.document import PeakNote
from tonecomb.core.record.recording import Array
from tonecomb.core.say.numbers import tone_text, warranted
from tonecomb.core.say.placing import Rect
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.plots.comb_lines import CombLines
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot
from tonecomb.desktop.stage.plots.labels import Labels, Said, Word
from tonecomb.formats.palette import readable


class PeakMarks:
    """The marks of one plot."""

    def __init__(
        self, plot: FrequencyPlot, combs: CombLines, curves: Callable[[], list[tuple[Array, Array]]]
    ) -> None:
        """``curves`` gives what is drawn, as the axes have it: labels keep off."""
        self._plot, self._combs, self._curves = plot, combs, curves
        self._theme: Theme | None = None
        self._marks: list[tuple[Peak, float]] = []
        self._chosen: Peak | None = None
        self._fits: Sequence[tuple[float, float, str]] = ()
        self.heads: Callable[[], list[Rect]] = list
        self.note_of: Callable[[Peak], PeakNote | None] = lambda peak: None
        self.aside = pg.ScatterPlotItem(size=6, pxMode=True)
        self._dots = pg.ScatterPlotItem(size=7, pxMode=True)
        self._ring = pg.ScatterPlotItem(size=15, pxMode=True)
        self.ranges = pg.PlotCurveItem(connect="pairs")
        self.labels = Labels(plot)
        self.items = (self.ranges, self._dots, self.aside, self._ring, self.labels)
        for item in self.items[:-1]:
            plot.addItem(item, ignoreBounds=True)
        combs.flag_at = self._flag_at
        for marks in (self._dots, self._ring):
            marks.setZValue(5)

    def _flag_at(self, place: QPointF) -> tuple[int, int] | None:
        word = self.labels.at(place)
        return None if word is None else word.tooth

    def set_theme(self, theme: Theme) -> None:
        self._dots.setPen(pg.mkPen(None))
        self.ranges.setPen(pg.mkPen(theme.accent, width=2))
        self._dots.setBrush(pg.mkBrush(theme.accent))
        self.aside.setPen(pg.mkPen(theme.quiet))
        self.aside.setBrush(pg.mkBrush(None))
        self._ring.setPen(pg.mkPen(theme.accent, width=2))
        self._ring.setBrush(pg.mkBrush(None))
        self._theme = theme
        self.labels.ground = pg.mkColor(theme.raised)
        self.label()

    def show(
        self,
        marks: list[tuple[Peak, float]],
        chosen: Peak | None,
        fits: Sequence[tuple[float, float, str]] = (),
    ) -> None:
        """Draw peaks at their levels (as the upright axis has them); what ``label`` names besides
        are ``fits``, which have a frequency (Hz), a level and words."""
        place = self._plot.place
        aside = [mark for mark in marks if (note := self.note_of(mark[0])) and note.aside]
        marks = [mark for mark in marks if mark not in aside]
        for item, shown in ((self._dots, marks), (self.aside, aside)):
            item.setData(
                [place(peak.tone.frequency) for peak, _ in shown], [level for _, level in shown]
            )
        moves = [
            (one.low, one.high, at) for peak, at in marks if (one := peak.behaviour) and one.moved
        ]
        ends = [place(f) for low, high, _ in moves for f in (low, high)]
        self.ranges.setData(np.array(ends), np.repeat([at for *_, at in moves], 2))
        marks = marks + [mark for mark in aside if mark[0] is chosen]
        ring = [mark for mark in marks if mark[0] is chosen]
        self._ring.setData(
            [place(peak.tone.frequency) for peak, _ in ring], [level for _, level in ring]
        )
        self._marks, self._chosen, self._fits = marks, chosen, fits

    def label(self) -> None:
        """Words over the highest peaks in view: the chosen one first, then teeth of combs and what
        was fitted."""
        if self._theme is not None:
            self.labels.show_words(partial(self._words, self._theme))

    def _words(self, theme: Theme) -> Said:
        """They, and what they keep off."""
        low, high = self._plot.limits()
        place, words = self._plot.place, []
        for peak, level in self._marks:
            tone = peak.tone
            if not low <= tone.frequency <= high:
                continue
            note = self.note_of(peak)
            name = f" {note.name}" if note is not None and note.name else ""
            flag = self._combs.flag(tone.frequency)
            text = tone_text(tone.frequency, tone.frequency_std) if flag is None else flag.text
            colour = theme.accent
            if flag is not None:
                colour = readable(theme.traces[flag.colour], theme.raised)
            first = (peak is not self._chosen, flag is None or not flag.first, -peak.level)
            tooth = None if flag is None else flag.tooth
            word = Word(place(tone.frequency), level, f"{text}{name}", colour, tooth)
            words.append((first, word))
        words += [
            ((True, False, 0.0), Word(place(f), at, text, theme.second))
            for f, at, text in self._fits
            if low <= f <= high
        ]
        words.sort(key=lambda pair: pair[0])
        return [word for _, word in words], self._curves(), self.heads()

    def told(self, frequency: float, play: float) -> str:
        """The peak within ``play`` Hz of a frequency (Hz), and the tooth that it is, for a readout;
        "" where there is none."""
        near = min(
            (peak for peak, _ in self._marks),
            default=None,
            key=lambda peak: abs(peak.tone.frequency - frequency),
        )
        if near is None or abs(near.tone.frequency - frequency) > play:
            return ""
        flag = self._combs.flag(near.tone.frequency)
        tooth = "" if flag is None else f", {flag.text}"
        return f" · peak {warranted(near.tone.frequency, near.tone.frequency_std)} Hz{tooth}"

    def labelled(self) -> list[str]:
        """The labels that stand in the picture now."""
        return [word.text for word, _ in self.labels.placed]

    def hide(self) -> None:
        if self._marks or self._fits:
            self.show([], None)
            self.label()
