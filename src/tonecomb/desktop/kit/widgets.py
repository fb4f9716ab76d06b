"""Small widgets that several regions of the bench use."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPoint, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from tonecomb.desktop.kit.theme import font


def label(text: str, name: str = "", *, wrap: bool = False) -> QLabel:
    """A label with a style name."""
    made = QLabel(text)
    made.setObjectName(name)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


def panel(parent: QWidget | None = None) -> QFrame:
    """A raised surface with a thin line around it."""
    made = QFrame(parent)
    made.setObjectName("panel")
    return made


def rule(vertical: bool = False) -> QFrame:
    """A thin line between two parts."""
    made = QFrame()
    made.setObjectName("rule")
    if vertical:
        made.setFixedWidth(1)
    else:
        made.setFixedHeight(1)
    return made


def link(text: str, tip: str, clicked: Callable[[], object]) -> QPushButton:
    """A button that looks like a word to follow."""
    made = QPushButton(text)
    made.setObjectName("link")
    made.setToolTip(tip)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    made.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
    made.clicked.connect(lambda: clicked())
    return made


def row(*widgets: QWidget | None, spacing: int = 8) -> QHBoxLayout:
    """Widgets beside each other; None is where the room goes."""
    made = QHBoxLayout()
    made.setContentsMargins(0, 0, 0, 0)
    made.setSpacing(spacing)
    for widget in widgets:
        if widget is None:
            made.addStretch(1)
        else:
            made.addWidget(widget)
    return made


class Number(QDoubleSpinBox):
    """A number to type, with its unit, that speaks when typing ends or an arrow is used."""

    def __init__(
        self,
        value: float,
        low: float,
        high: float,
        decimals: int,
        suffix: str,
        *,
        shortest: bool = False,
    ) -> None:
        super().__init__()
        self._shortest = shortest  # without zeros at the end
        self.setDecimals(decimals)
        self.setRange(low, high)
        self.setValue(value)
        self.setSuffix(f"\u2009{suffix}" if suffix else "")
        self.setKeyboardTracking(False)
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFont(font())
        self.setMinimumWidth(110)

    def textFromValue(self, value: float) -> str:
        return f"{value:.10g}" if self._shortest else super().textFromValue(value)


class Choice(QComboBox):
    """A word in a sentence; ``picked`` carries the value chosen by the user."""

    picked = pyqtSignal(object)

    def __init__(self, choices: Sequence[tuple[Any, str]], current: Any, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self._values = [value for value, _ in choices]
        for _, text in choices:
            self.addItem(text)
        if current in self._values:
            self.setCurrentIndex(self._values.index(current))
        self.activated.connect(lambda i: self.picked.emit(self._values[i]))

    @property
    def value(self) -> Any:
        """The value that is chosen."""
        return self._values[self.currentIndex()]

    def choose(self, value: Any) -> None:
        """Make this the chosen one, without a word."""
        self.setCurrentIndex(self._values.index(value))

    def add(self, value: str) -> None:
        """One more choice, which is called what it is."""
        self.offer_also([(value, value)])

    def offer_also(self, choices: Sequence[tuple[Any, str]], keep: int | None = None) -> None:
        """Choices after the first ``keep`` of those there are, after all for None. What is chosen
        stays so where it is still there."""
        chosen = self.value
        if keep is not None:
            del self._values[keep:]
            while self.count() > keep:
                self.removeItem(self.count() - 1)
        for value, text in choices:
            self._values.append(value)
            self.addItem(text)
        self.choose(chosen if chosen in self._values else self._values[0])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.palette().color(self.foregroundRole()), 1.4))
        x, y = self.width() - 14, self.height() // 2
        painter.drawPolyline(QPointF(x - 4, y - 2), QPointF(x, y + 2), QPointF(x + 4, y - 2))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            event.ignore()  # scrolling past must not change anything


_READABLE = 360  # width of a popover's explanation in pixels


@dataclass(frozen=True)
class Option:
    """A choice: its value, what it is called, and a few words about it."""

    value: object
    title: str
    note: str = ""


class OptionList(QListWidget):
    """Choices with a note each; ``chosen`` carries the value of the one clicked or entered."""

    chosen = pyqtSignal(object)

    def __init__(self, options: Sequence[Option], current: object, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._options = tuple(options)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        width = 0
        for option in options:
            item = QListWidgetItem()
            card = QWidget()
            box = QVBoxLayout(card)
            box.setContentsMargins(8, 5, 8, 5)
            box.setSpacing(1)
            box.addWidget(label(option.title, "strong" if option.value == current else ""))
            if option.note:
                box.addWidget(label(option.note, "quiet"))
            hint = card.sizeHint()
            width = max(width, hint.width())
            item.setSizeHint(QSize(10, hint.height()))
            item.setData(Qt.ItemDataRole.AccessibleTextRole, option.title)
            self.addItem(item)
            self.setItemWidget(item, card)
            if option.value == current:
                self.setCurrentItem(item)
        self._width = width
        self._fit()
        self.itemClicked.connect(lambda item: self.chosen.emit(self._options[self.row(item)].value))

    def _fit(self) -> None:
        """As large as the choices, up to a height at which they scroll."""
        height = sum(self.sizeHintForRow(i) for i in range(self.count())) + 8
        self.setFixedSize(max(200, self._width + 24), min(height, 420))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.currentRow() >= 0:
                self.chosen.emit(self._options[self.currentRow()].value)
            return
        super().keyPressEvent(event)


class Popover(QFrame):
    """A small surface that opens where a phrase stands and closes by Escape or a click beside."""

    closed = pyqtSignal()

    def __init__(self, parent: QWidget, title: str, explanation: str = "") -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popover")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(12, 10, 12, 12)
        self.body.setSpacing(8)
        self.body.addWidget(label(title, "heading"))
        self._explanation: QLabel | None = None
        if explanation:
            self._explanation = label(explanation, "quiet", wrap=True)
            self.body.addWidget(self._explanation)

    def add(self, *parts: QWidget | QHBoxLayout) -> None:
        """Put parts below each other."""
        for part in parts:
            if isinstance(part, QWidget):
                self.body.addWidget(part)
            else:
                self.body.addLayout(part)

    def open_below(self, anchor: QWidget, focus: QWidget | None = None) -> None:
        """Show the popover under ``anchor``, kept on the screen."""
        self.ensurePolished()
        for child in self.findChildren(QWidget):
            child.ensurePolished()  # sizes are known once the style sheet's fonts are
        if (text := self._explanation) is not None:
            text.setFixedSize(_READABLE, text.heightForWidth(_READABLE))
        self.adjustSize()
        place = anchor.mapToGlobal(QPoint(0, anchor.height() + 4))
        screen = anchor.screen()
        if screen is not None:
            area = screen.availableGeometry()
            place.setX(max(area.left(), min(place.x(), area.right() - self.width())))
            if place.y() + self.height() > area.bottom():
                place.setY(anchor.mapToGlobal(QPoint(0, 0)).y() - self.height() - 4)
        self.move(place)
        self.show()
        (focus or self).setFocus()

    def closeEvent(self, event: object) -> None:
        self.closed.emit()
        super().closeEvent(event)  # type: ignore[arg-type]
