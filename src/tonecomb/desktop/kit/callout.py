"""A few words beside a control of the window, with a ring about it."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QPushButton, QVBoxLayout, QWidget

from tonecomb.desktop.kit.theme import current_theme
from tonecomb.desktop.kit.widgets import label, link, row

_WIDE, _MARGIN = 300, 14
_APART = 10  # pixels between a control and the words
_ROUND = 4


class Ring(QWidget):
    """Drawn about what is pointed at; the mouse goes through it."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(current_theme().accent), 3))
        painter.drawRoundedRect(self.rect().adjusted(2, 2, -2, -2), _ROUND, _ROUND)


class Callout(QFrame):
    """``onward`` when its first button was clicked, ``left`` when it is to go."""

    onward = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setObjectName("popover")
        self.setFixedWidth(_WIDE)
        self.ring = Ring(window)
        self.title, self.text = label("", "strong"), label("", "", wrap=True)
        self.go = QPushButton("Next")
        self.go.clicked.connect(self.onward)
        self.away = link("Leave the tour", "Escape", self.left.emit)
        column = QVBoxLayout(self)
        column.setContentsMargins(_MARGIN, 12, _MARGIN, 12)
        column.setSpacing(8)
        column.addWidget(self.title)
        column.addWidget(self.text)
        column.addLayout(row(self.away, None, self.go))
        self.hide()

    def say(self, title: str, text: str, go: str) -> None:
        """Show these words, and these on the button."""
        self.title.setText(title)
        self.text.setText(text)
        self.text.setFixedHeight(self.text.heightForWidth(_WIDE - 2 * _MARGIN))
        self.go.setText(go)
        self.adjustSize()
        self.show()

    def point_at(self, control: QWidget | None) -> None:
        """Stand beside a control, where there is room and it stays free; in the middle of the
        window for None."""
        window = self.parentWidget()
        assert window is not None
        inside = window.rect().adjusted(8, 8, -8, -8)
        self.ring.setVisible(control is not None)
        if control is None:
            self._move(inside.center() - self.rect().center(), inside)
            return
        at = QRect(control.mapTo(window, QPoint(0, 0)), control.size()) & window.rect()
        self.ring.setGeometry(at.adjusted(-4, -4, 4, 4))
        self.ring.raise_()
        middle = at.center() - self.rect().center()
        places = (
            QPoint(middle.x(), at.bottom() + _APART),
            QPoint(middle.x(), at.top() - _APART - self.height()),
            QPoint(at.left() - _APART - self.width(), middle.y()),
            QPoint(at.right() + _APART, middle.y()),
        )
        for place in places:
            if inside.contains(self._within(place, inside)) and not self._within(
                place, inside
            ).intersects(at):
                self._move(place, inside)
                return
        # The control fills the window: the words stand in its lower right corner.
        self._move(at.bottomRight() - QPoint(self.width() + 24, self.height() + 24), inside)

    def _within(self, place: QPoint, inside: QRect) -> QRect:
        x = min(max(place.x(), inside.left()), inside.right() - self.width())
        y = min(max(place.y(), inside.top()), inside.bottom() - self.height())
        return QRect(QPoint(x, y), self.size())

    def _move(self, place: QPoint, inside: QRect) -> None:
        self.move(self._within(place, inside).topLeft())
        self.raise_()

    def leave(self) -> None:
        """Take it away."""
        self.hide()
        self.ring.hide()
