"""What the current method can tell apart, and a handle that trades frequency against time."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLayout, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import Method, Resolution, resolution
from tonecomb.core.record.recording import whole
from tonecomb.core.record.signal import Signal
from tonecomb.core.say.numbers import lasting
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.kit.widgets import label, panel
from tonecomb.desktop.state.store import Store

_NARROWEST, _GAP = 480, 6  # pixels
_SMALLEST = 6  # frames go from 2⁶ samples upward on the handle
_FIGURES = (
    ("takes", "How long it takes to record, and how many samples that is"),
    ("bin", "Spacing of the bins"),
    ("told apart from", "Two equal tones closer than this show as one (−6 dB width)"),
    ("ENBW", "Equivalent noise bandwidth: the width of a rectangle that passes as much noise"),
    ("frame", "Duration of a frame"),
    ("frames", "Frames averaged, and how much of the stretch they cover"),
    ("up to", "Nyquist frequency, half the sample rate"),
)


class Ruler(QWidget):
    """Figures of the current method's resolution. ``tried`` carries the resolution that the
    handle would give while it is dragged, None when it is let go."""

    tried = pyqtSignal(object)

    def __init__(self, store: Store) -> None:
        super().__init__()
        self._store = store
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame = panel()
        outer.addWidget(frame)
        row = QHBoxLayout(frame)
        row.setContentsMargins(12, 6, 12, 6)
        row.setSpacing(16)
        self._values: dict[str, QLabel] = {}
        self._captions: dict[str, QLabel] = {}
        self._wanted = {name for name, _ in _FIGURES}
        for name, tip in _FIGURES:
            pair = QHBoxLayout()
            pair.setSpacing(_GAP)
            caption = label(name, "quiet")
            value = label("–", "strong")
            value.setFont(font())
            for widget in (caption, value):
                widget.setToolTip(tip)
                pair.addWidget(widget)
            self._values[name] = value
            self._captions[name] = caption
            row.addLayout(pair)
        row.addWidget(label(""), 1)
        self._row, self._ends = (
            row,
            (label("finer in time", "quiet"), label("finer in frequency", "quiet")),
        )
        row.addWidget(self._ends[0])
        self.handle = Handle()
        self.handle.chosen.connect(self._choose)
        self.handle.tried.connect(self._try)
        row.addWidget(self.handle, 3)
        row.addWidget(self._ends[1])
        for layout in (outer, row):  # what has no room is left out
            layout.setSizeConstraint(QLayout.SizeConstraint.SetNoConstraint)
        self.setFixedHeight(42)
        store.changed.connect(self.refresh)
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        self.handle.theme = theme
        self.handle.update()

    def refresh(self) -> None:
        """Show the figures of the method as it is now."""
        signal, method = self._store.current, self._store.method
        if signal is None or method is None:
            self._say({})
            self._wanted = set(self._values) - {"takes"}
            self._make_room()
            self.handle.set_range(0, None)
            return
        self._tell(method, signal)
        made = signal.recording.truth is not None
        lasts = f"{lasting(signal.duration)}, {signal.length} samples"
        self._values["takes"].setText(lasts)
        self._wanted = set(self._values) - {"ENBW" if made else "takes"}
        self._make_room()
        stretch = method.source.stretch or whole(signal)
        length = max(1, round((stretch.end - stretch.start) * signal.rate))
        largest = max(_SMALLEST, min(22, int(math.log2(length))))
        self.handle.set_range(largest, math.log2(max(method.frames.frame, 2)))

    def _make_room(self) -> None:
        """Leave out what matters least where there is no room for all."""
        groups = {name: (self._captions[name], self._values[name]) for name in self._values}
        for name, pair in groups.items():
            for one in pair:
                one.setVisible(name in self._wanted)
        for end in self._ends:
            end.show()
        lesser: list[tuple[QLabel, ...]] = [groups["ENBW"], self._ends]
        lesser += [groups[name] for name in ("up to", "frame", "takes", "bin")]
        for group in lesser:
            if self._needed() <= self.width():
                break
            for one in group:
                one.hide()

    def _needed(self) -> int:
        """Pixels that what is shown takes; layouts inside layouts know it only later."""
        shown = [(self._captions[name], self._values[name]) for name in self._values]
        wide = [
            a.sizeHint().width() + _GAP + b.sizeHint().width() for a, b in shown if not a.isHidden()
        ]
        wide += [end.sizeHint().width() for end in self._ends if not end.isHidden()]
        spacing = self._row.spacing()
        margins = self._row.contentsMargins()
        ends = margins.left() + margins.right() + self.handle.minimumWidth() + 2 * spacing
        return ends + sum(wide) + spacing * len(wide)

    def minimumSizeHint(self) -> QSize:
        return QSize(_NARROWEST, 42)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _tell(self, method: Method, signal: Signal) -> Resolution | None:
        """Say what a method resolves, None where it does not fit the stretch."""
        try:
            r = resolution(method, signal.recording)
        except UserError:
            self._say({"up to": f"{signal.rate / 2:g} Hz"})
            return None
        share = r.covered_fraction
        # Only what is wholly covered is called so.
        covered = "all" if share == 1 else f"{math.floor(1000 * share) / 10:.1f} %"
        lasting = f"{r.stretch_s:.4g}" if r.stretch_s < 1000 else f"{r.stretch_s:.0f}"
        in_step = not method.averaging.average.spaced
        self._say(
            {
                "bin": f"{r.bin_hz:.4g} Hz",
                "told apart from": f"{r.separable_hz:.3g} Hz",
                "ENBW": f"{r.enbw_hz:.4g} Hz",
                "frame": f"{r.frame_s:.4g} s",
                "frames": "in step" if in_step else f"{r.frames}, {covered} of {lasting} s",
                "up to": f"{r.nyquist_hz:g} Hz",
            }
        )
        return r

    def _try(self, exponent: int | None) -> None:
        """Show what a frame would give before it is chosen; None when it is not to be."""
        signal, method = self._store.current, self._store.method
        if signal is None or method is None:
            return
        colour = "" if exponent is None else f"color: {self.handle.theme.second};"
        for value in self._values.values():
            value.setStyleSheet(colour)
        if exponent is None:
            self._tell(method, signal)
            self.tried.emit(None)
        else:
            self.tried.emit(self._tell(method.having(frame=1 << exponent), signal))

    def figure(self, name: str) -> str:
        """The figure that stands beside ``name``."""
        return self._values[name].text()

    def _say(self, figures: dict[str, str]) -> None:
        for name, value in self._values.items():
            if name != "takes":
                value.setText(figures.get(name, "–"))

    def _choose(self, exponent: int) -> None:
        self._store.edit_method("Trade time against frequency", merge="ruler", frame=1 << exponent)


class Handle(QWidget):
    """Powers of two on a line; ``tried`` carries the exponent over which the handle is held, None
    when it is let go, ``chosen`` the one it was moved to. Escape leaves it where it was."""

    chosen = pyqtSignal(int)
    tried = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.theme = PAPER
        self._largest = 0
        self._place: float | None = None
        self._tried: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Frame length: time against frequency resolution")
        self.setToolTip(
            "Drag to trade time against frequency resolution ([ and ]); what would be told apart "
            "is shown before you let go"
        )
        self.setMinimumWidth(90)
        self.setMaximumWidth(200)

    def sizeHint(self) -> QSize:
        return QSize(200, 28)

    def set_range(self, largest: int, place: float | None) -> None:
        """Exponents up to ``largest``; the handle stands at ``place`` (None for nowhere)."""
        self._largest, self._place = largest, place
        self.update()

    def place_of(self, exponent: float) -> float:
        steps = max(1, self._largest - _SMALLEST)
        return 8 + (self.width() - 16) * min(1.0, max(0.0, (exponent - _SMALLEST) / steps))

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        painter.setPen(QPen(QColor(self.theme.lines), 2))
        painter.drawLine(8, round(middle), self.width() - 8, round(middle))
        if self._place is None:
            return
        painter.setPen(QPen(QColor(self.theme.quiet), 1))
        for exponent in range(_SMALLEST, self._largest + 1):
            x = round(self.place_of(exponent))
            painter.drawLine(x, round(middle) - 4, x, round(middle) + 4)
        held = self._tried is not None and self._tried != self._place
        if held:  # where it came from
            painter.setPen(QPen(QColor(self.theme.accent), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(
                QRectF(self.place_of(self._place) - 5, middle - 8, 10, 16), 3, 3
            )
        place = self._place if self._tried is None else self._tried
        grip = QRectF(self.place_of(place) - 5, middle - 8, 10, 16)
        painter.setPen(QPen(QColor(self.theme.ink if self.hasFocus() else self.theme.raised), 1))
        painter.setBrush(QColor(self.theme.second if held else self.theme.accent))
        painter.drawRoundedRect(grip, 3, 3)

    def _drag(self, event: QMouseEvent | None) -> None:
        if event is None or self._place is None or self._largest <= _SMALLEST:
            return
        share = (event.position().x() - 8) / (self.width() - 16)
        exponent = round(_SMALLEST + min(1.0, max(0.0, share)) * (self._largest - _SMALLEST))
        if exponent != self._tried:
            self._tried = exponent
            self.update()
            self.tried.emit(exponent)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        exponent = self._let_go()
        if exponent is not None and exponent != self._place:
            self.chosen.emit(exponent)

    def _let_go(self) -> int | None:
        """Stop trying; what was tried last."""
        exponent, self._tried = self._tried, None
        if exponent is not None:
            self.update()
            self.tried.emit(None)
        return exponent

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._drag(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if self._tried is not None:
            self._drag(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._place is None:
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Escape and self._tried is not None:
            self._let_go()
            return
        if step is None:
            super().keyPressEvent(event)
            return
        exponent = round(self._place) + step
        if _SMALLEST <= exponent <= self._largest:
            self.chosen.emit(exponent)
