"""How the rows of the shelf are drawn: recordings, channels with their outlines, chains, traces."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np
from PyQt6.QtCore import QModelIndex, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

from tonecomb.core.record.pyramid import WaveformEnvelope
from tonecomb.core.record.recording import Recording
from tonecomb.core.record.signal import Signal
from tonecomb.core.say.numbers import lasting
from tonecomb.desktop.kit.theme import PAPER, font
from tonecomb.desktop.state.envelopes import OUTLINE, Envelopes
from tonecomb.desktop.state.store import Store

ID, CHANNEL, TRACE, COLOUR, CHAIN = (Qt.ItemDataRole.UserRole + i for i in range(5))
"""What an item holds: a recording's id, the number of a channel, a held trace's id and colour, a
chain's name."""
_MOST_DRAWN = 200  # outlines, of which few are in view at once


def facts(recording: Recording | Signal | None) -> str:
    """Duration and rate in few characters: ``60 s · 12.8 kHz``."""
    if recording is None:
        return "file not open"
    if isinstance(recording, Recording) and recording.sample_rate is None:
        return "rate unknown"
    rate, duration = recording.rate, recording.duration
    text = f"{rate / 1000:.4g} kHz" if rate >= 1000 else f"{rate:.4g} Hz"
    length = lasting(float(f"{duration:.3g}") if duration < 300 else duration)
    of = recording if isinstance(recording, Recording) else recording.recording
    return f"{'made · ' if of.truth is not None else ''}{length} · {text}"


class Rows(QStyledItemDelegate):
    """Draws a recording as name and facts, a channel as name, unit and outline."""

    def __init__(self, store: Store, envelopes: Envelopes) -> None:
        super().__init__()
        self._store, self._envelopes = store, envelopes
        self.theme = PAPER
        self._drawn: WeakKeyDictionary[WaveformEnvelope, dict[int, list[QRectF]]] = (
            WeakKeyDictionary()
        )

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        if index.data(TRACE) is not None or index.data(CHAIN) is not None:
            return QSize(100, 26)
        head = index.data(CHANNEL) is None
        return QSize(100, 44 if head and index.data(ID) is not None else 30)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        if painter is None:
            return
        painter.save()
        recording_id, channel = index.data(ID), index.data(CHANNEL)
        area = option.rect.adjusted(8, 0, -6, 0)
        if index.data(CHAIN) is not None:
            self._chain(painter, area, str(index.data()))
        elif recording_id is None:
            self._trace(painter, area, str(index.data()), index.data(COLOUR))
        elif channel is None:
            self._head(painter, area, str(index.data()), self._store.shown(recording_id))
        else:
            ref = self._store.ref
            chosen = ref is not None and (ref.id, ref.method.source.channel) == (
                recording_id,
                channel,
            )
            if chosen:
                painter.fillRect(option.rect, QColor(self.theme.selected))
                painter.fillRect(
                    option.rect.x(),
                    option.rect.y(),
                    3,
                    option.rect.height(),
                    QColor(self.theme.accent),
                )
            self._channel(painter, area, recording_id, channel, str(index.data()), chosen)
        painter.restore()

    def _head(
        self, painter: QPainter, area: QRect, name: str, recording: Recording | Signal | None
    ) -> None:
        painter.setPen(QColor(self.theme.ink))
        painter.setFont(font(9.75, QFont.Weight.DemiBold))
        upper = QRect(area.x(), area.y() + 7, area.width(), 17)
        self._text(painter, upper, name)
        painter.setPen(QColor(self.theme.quiet))
        painter.setFont(font(9))
        lower = QRect(area.x(), area.y() + 24, area.width(), 16)
        self._text(painter, lower, facts(recording))
        if recording is not None and recording.problems:
            painter.setPen(QColor(self.theme.caution_ink))
            painter.setFont(font(9.75, QFont.Weight.DemiBold))
            painter.drawText(
                upper, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "!"
            )

    def _chain(self, painter: QPainter, area: QRect, name: str) -> None:
        """A chain, quieter than the channels above it."""
        painter.setFont(font(9))
        painter.setPen(QColor(self.theme.second))
        self._text(painter, area.adjusted(4, 0, 0, 0), name)

    def _trace(self, painter: QPainter, area: QRect, name: str, colour: int | None) -> None:
        """A held trace with its colour, quiet while hidden; without a colour the heading."""
        heading = colour is None
        painter.setFont(
            font(9.75 if heading else 9, QFont.Weight.DemiBold if heading else QFont.Weight.Normal)
        )
        painter.setPen(QColor(self.theme.quiet if colour == 0 else self.theme.ink))
        left = 0
        if not heading:
            left = 20
            shade = self.theme.traces[colour] if colour else self.theme.lines
            bar = QRect(area.x() + 4, area.center().y() - 1, 10, 3)
            painter.fillRect(bar, QColor(shade))
        self._text(painter, area.adjusted(left, 0, 0, 0), name)

    def _channel(
        self,
        painter: QPainter,
        area: QRect,
        recording_id: str,
        channel: int,
        name: str,
        chosen: bool,
    ) -> None:
        recording = self._store.shown(recording_id)
        symbol = recording.channels[channel].unit if recording else ""
        painter.setPen(QColor(self.theme.ink))
        painter.setFont(font(9.75))
        left = QRect(area.x() + 4, area.y(), area.width() - OUTLINE - 36, area.height())
        self._text(painter, left, name)
        painter.setPen(QColor(self.theme.quiet))
        painter.setFont(font(9))
        middle = QRect(left.right() + 2, area.y(), 32, area.height())
        self._text(painter, middle, symbol)
        colour = self.theme.traces[0] if chosen else self.theme.quiet
        self._outline(painter, recording_id, channel, area, colour)

    @staticmethod
    def _text(painter: QPainter, area: QRect, text: str) -> None:
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, area.width())
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)

    def _outline(
        self, painter: QPainter, recording_id: str, channel: int, area: QRect, colour: str
    ) -> None:
        found = self._envelopes.small(recording_id, channel)
        if found is None:
            return
        envelope, length = found
        if len(self._drawn) > _MOST_DRAWN:
            self._drawn.clear()
        known = self._drawn.setdefault(envelope, {})
        if area.height() not in known:
            known[area.height()] = _bars(envelope, length, area.height())
        painter.setPen(QPen(QColor(colour), 1))
        painter.translate(area.right() - OUTLINE, area.top())
        if bars := known[area.height()]:
            painter.drawRects(*bars)


def _bars(envelope: WaveformEnvelope, length: int, height: int) -> list[QRectF]:
    """From the least to the greatest of each column, in a row of this height."""
    low, high = envelope.low, envelope.high
    finite = np.isfinite(low) & np.isfinite(high)
    if not finite.any():
        return []
    bottom, top = float(low[finite].min()), float(high[finite].max())
    scale = (height - 12) / ((top - bottom) or 1.0)
    # A short recording has few columns: they are as wide as the outline needs.
    places = envelope.edges * (OUTLINE / max(length, 1))
    bars = []
    for i in np.flatnonzero(finite):
        y1 = height - 7 - (high[i] - bottom) * scale
        y2 = height - 7 - (low[i] - bottom) * scale
        wide = max(places[i + 1] - places[i] - 1, 0.0)
        bars.append(QRectF(places[i], y1, wide, max(y2 - y1, 0.5)))
    return bars
