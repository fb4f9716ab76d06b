"""Choosing a window by its picture: shape, transform, and the figures that decide."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from tonecomb.core.record.windows import FAMILIES, WINDOWS, Window, window
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import Number, Option, OptionList, Popover, label, row

_SHAPE, _BINS, _FLOOR_DB = 200, 16.0, -140.0
_PAIR_FLOOR_DB = -100.0
_FIGURES = (
    ("ENBW", "Equivalent noise bandwidth: by so much noise is raised against a tone"),
    ("scalloping", "How low a tone midway between two bins reads"),
    ("highest lobe", "The highest side lobe: what a strong tone hides"),
    ("fall-off", "How fast side lobes fall away"),
    ("−3 dB width", "Width of a tone's line"),
    ("told apart", "−6 dB width: two equal tones closer than this show as one"),
    ("main lobe", "Width of a tone's line down to its first zeros"),
    ("overlap", "Recommended overlap: no part of the record is looked at much less"),
)


def figures(w: Window) -> tuple[str, ...]:
    """The figures in the order of the table."""
    return tuple(
        text.replace("-", "−")
        for text in (
            f"{w.enbw:.2f} bins",
            f"{abs(w.scalloping_db):.2f} dB",
            f"{w.highest_side_lobe_db:.0f} dB",
            f"{max(w.fall_off_db, 0):.0f} dB/octave",
            f"{w.width_3db:.2f} bins",
            f"{w.width_6db:.2f} bins",
            f"{w.main_lobe:.1f} bins",
            f"{w.overlap:.0f} %",
        )
    )


@dataclass(frozen=True)
class WindowPair:
    """Two tones that stand in the spectrum now: their distance in bins of the unpadded frame,
    how far the second is below the first in dB, and where the first lies between two bins."""

    gap: float
    down_db: float
    offset: float
    words: str


DEFAULT_PAIR = WindowPair(4.0, -40.0, 0.3, "two tones, 4 bins and 40 dB apart")


def current_pair(analysis: Analysis | None) -> WindowPair | None:
    """The strongest peak and the one nearest to it; None where there are no two."""
    peaks = () if analysis is None else analysis.peaks or ()
    if analysis is None or len(peaks) < 2:
        return None
    strongest = max(peaks, key=lambda peak: peak.tone.amplitude)
    others = [peak for peak in peaks if peak is not strongest]
    f = strongest.tone.frequency
    other = min(others, key=lambda peak: abs(peak.tone.frequency - f))
    frame_hz = analysis.fs / analysis.method.frames.frame
    gap = (other.tone.frequency - f) / frame_hz
    down = 20 * math.log10(max(other.tone.amplitude / strongest.tone.amplitude, 1e-9))
    words = f"{f:.2f} and {other.tone.frequency:.2f} Hz through this window"
    return WindowPair(gap, down, f / frame_hz - round(f / frame_hz), words)


class WindowPicture(QWidget):
    """A window over a frame, its transform in dB over the nearest bins, and two tones through
    it."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._window = window("hann")
        self._pair = DEFAULT_PAIR
        self.setFixedSize(340, 350)
        self.setAccessibleName("Picture of the window")

    def show_window(self, shown: Window) -> None:
        """Draw this one."""
        self._window = shown
        self.update()

    def show_pair(self, pair: WindowPair) -> None:
        """Draw these two tones as they look through the window."""
        self._pair = pair
        self.update()

    def _draw_pair(self, painter: QPainter, area: QRectF) -> None:
        """The spectrum of two tones as the frame has it: the line between the bins, and a dot at
        each bin."""
        pair = self._pair
        reach = min(max(2.5 * abs(pair.gap), 8.0), 60.0)
        for level in (0, -40, -80):
            y = area.top() + area.height() * level / _PAIR_FLOOR_DB
            painter.setPen(QPen(QColor(self._theme.lines), 1))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            text = f"{level} dB".replace("-", "−")
            self._words(painter, text, QRectF(0, y - 8, 52, 16), Qt.AlignmentFlag.AlignRight)

        def levels(at: np.ndarray) -> np.ndarray:
            size = self._window.transform(at - pair.offset)
            size = size + 10 ** (pair.down_db / 20) * self._window.transform(
                at - pair.offset - pair.gap
            )
            decibels = 20 * np.log10(np.maximum(size, 1e-9))
            return np.asarray(np.clip(decibels, _PAIR_FLOOR_DB, 3))

        middle = round(pair.gap / 2)
        fine = levels(np.linspace(middle - reach, middle + reach, 1201))
        self._curve(painter, area, fine, _PAIR_FLOOR_DB, 0.0)
        bins = np.arange(math.ceil(middle - reach), math.floor(middle + reach) + 1)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self._theme.accent))
        for at, level in zip(bins, levels(bins), strict=True):
            x = area.left() + area.width() * (at - middle + reach) / (2 * reach)
            y = area.bottom() - area.height() * (level - _PAIR_FLOOR_DB) / -_PAIR_FLOOR_DB
            painter.drawEllipse(QPointF(x, y), 2.2, 2.2)
        below = QRectF(0, area.bottom() + 2, self.width(), 16)
        self._words(painter, pair.words, below, Qt.AlignmentFlag.AlignHCenter)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(9))
        self._draw_pair(painter, QRectF(56, 250, 276, 76))
        samples = self._window.samples(_SHAPE)
        self._curve(painter, QRectF(56, 8, 276, 70), samples, min(0.0, float(samples.min())), 1.0)
        self._words(painter, "one frame", QRectF(56, 78, 276, 16), Qt.AlignmentFlag.AlignHCenter)
        area = QRectF(56, 104, 276, 112)
        for level in (0, -40, -80, -120):
            y = area.top() + area.height() * level / _FLOOR_DB
            painter.setPen(QPen(QColor(self._theme.lines), 1))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            text = f"{level} dB".replace("-", "−")
            self._words(painter, text, QRectF(0, y - 8, 52, 16), Qt.AlignmentFlag.AlignRight)
        bins = np.linspace(-_BINS, _BINS, 1201)
        decibels = 20 * np.log10(np.maximum(self._window.transform(bins), 1e-9))
        self._curve(painter, area, np.maximum(decibels, _FLOOR_DB), _FLOOR_DB, 0.0)
        for at in (-16, -8, 0, 8, 16):
            x = area.left() + area.width() * (at + _BINS) / (2 * _BINS)
            text = f"{at} bins" if at == 0 else str(at).replace("-", "−")
            self._words(
                painter,
                text,
                QRectF(x - 24, area.bottom() + 2, 48, 16),
                Qt.AlignmentFlag.AlignHCenter,
            )

    def _words(self, painter: QPainter, text: str, area: QRectF, side: Qt.AlignmentFlag) -> None:
        painter.setPen(QColor(self._theme.quiet))
        painter.drawText(area, int(side | Qt.AlignmentFlag.AlignVCenter), text)

    def _curve(
        self, painter: QPainter, area: QRectF, values: np.ndarray, low: float, high: float
    ) -> None:
        x = area.left() + area.width() * np.arange(len(values)) / (len(values) - 1)
        y = area.bottom() - area.height() * (values - low) / (high - low)
        painter.setPen(QPen(QColor(self._theme.traces[0]), 1.5))
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(x, y, strict=True)]))


class WindowPicker(Popover):
    """Windows by name beside the picture and figures of the one that is looked at."""

    def __init__(
        self, parent: QWidget, theme: Theme, current: str, apply: Callable[[str], None]
    ) -> None:
        super().__init__(
            parent,
            "Window",
            "A narrow main lobe tells close tones apart; low scalloping gives true bin heights; "
            "a steep skirt shows weak tones beside strong ones.",
        )
        self._apply = apply
        word = current.partition(":")[0]
        options = [
            Option(name, FAMILIES[name].title if name in FAMILIES else one.title)
            for name, one in WINDOWS.items()
        ]
        self.names = OptionList(options, word, "Windows")
        self.picture = WindowPicture(theme)
        self.value_labels = []
        side = QVBoxLayout()
        side.addWidget(self.picture)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for i, (title, tip) in enumerate(_FIGURES):
            name, value = label(title, "quiet"), label("")
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            for widget in (name, value):
                widget.setFont(font(9))
                widget.setToolTip(tip)
            grid.addWidget(name, i // 2, 2 * (i % 2))
            grid.addWidget(value, i // 2, 2 * (i % 2) + 1)
            self.value_labels.append(value)
        side.addLayout(grid)
        self.parameter = Number(0, 0, 1, 4, "", shortest=True)
        self.parameter.setAccessibleName("Parameter of the window")
        self._asked = label("", "quiet")
        side.addLayout(row(self._asked, self.parameter, None))
        side.addStretch(1)
        frame = QFrame()
        both = QHBoxLayout(frame)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(12)
        both.addWidget(self.names)
        both.addLayout(side)
        self.add(frame)
        self.setFocusProxy(self.names)
        self.names.currentRowChanged.connect(lambda _: self._look())
        self.names.chosen.connect(lambda value: self._choose())
        self.parameter.valueChanged.connect(lambda _: self._typed())
        self._look(current)

    def show_pair(self, pair: WindowPair | None) -> None:
        """Draw the two tones that stand in the spectrum; two made ones for None."""
        self.picture.show_pair(pair or DEFAULT_PAIR)

    def _shown(self) -> str:
        return list(WINDOWS)[max(self.names.currentRow(), 0)]

    def _look(self, name: str = "") -> None:
        """Draw the window that the row stands for."""
        word = self._shown()
        shown = window(name or word)
        family = FAMILIES.get(word)
        for widget in (self.parameter, self._asked):
            widget.setVisible(family is not None)
        if family is not None:
            value = float(shown.name.partition(":")[2])
            self._asked.setText(family.parameter.format("…"))
            self.parameter.blockSignals(True)
            self.parameter.setRange(family.low, family.high)
            self.parameter.setValue(value)
            self.parameter.blockSignals(False)
        self._draw(shown)

    def _draw(self, shown: Window) -> None:
        self.picture.show_window(shown)
        for value, text in zip(self.value_labels, figures(shown), strict=True):
            value.setText(text)

    def _name(self) -> str:
        word = self._shown()
        return f"{word}:{self.parameter.value():g}" if word in FAMILIES else word

    def _typed(self) -> None:
        self._draw(window(self._name()))
        self._apply(self._name())

    def _choose(self) -> None:
        name = self._name()
        if self._shown() not in FAMILIES:
            self.close()
        self._apply(name)
