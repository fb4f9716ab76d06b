"""Doing the job: a walk through one job on the demo, with the real controls pointed at one after
the other. Each step waits until its thing was done, by whatever means; or does it when asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QPushButton, QVBoxLayout, QWidget

from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.kit.theme import current_theme
from tonecomb.desktop.kit.widgets import label, link, row

if TYPE_CHECKING:
    from tonecomb.desktop.bench import Bench


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


_LOOK_MS = 120
_PATIENCE = 25  # looks for a control that is not there


@dataclass(frozen=True)
class Stop:
    """What is said, at which control. ``done`` compares a count or value of now with the one when
    the step began; ``do`` does it for the user. Without them the step only tells."""

    title: str
    text: str
    where: Callable[[Bench], QWidget | None]
    state: Callable[[Bench], object] | None = None
    do: Callable[[Bench], object] | None = None


def _frame(bench: Bench) -> object:
    method = bench.store.method
    return method and (method.frames.frame, method.frames.window, method.frames.overlap)


def _halve(bench: Bench) -> None:
    method = bench.store.method
    if method is not None:
        bench.store.edit_method("Frame", frame=max(method.frames.frame // 2, 2))


def _advice(bench: Bench) -> None:
    offered = [one for one in bench.readings.cautions if one.edit is not None]
    if offered:
        bench.context.advice.take(offered[0])


def _card(bench: Bench) -> QWidget | None:
    item = bench.readings.cards.itemAt(0)
    return None if item is None else item.widget()


def _seen(bench: Bench) -> object:
    pane = bench.stage.panes.get("spectrogram")
    return pane is not None and pane.isVisible()


STEPS: tuple[Stop, ...] = (
    Stop(
        "What it holds, in short",
        "This is a gearbox of an invented ropeway, a minute long. The "
        "readings begin with what was found in it; a click on a sentence goes to its place.",
        lambda b: b.readings.short,
    ),
    Stop(
        "Choose what you trust",
        "All of the recording is analysed. Drag over a part of the "
        "waveform, and only that part is; W takes all of it again.",
        lambda b: b.stage.waveform,
        lambda b: b.store.method and b.store.method.source.stretch,
        lambda b: b.store.edit_method("Choose stretch", stretch=Stretch(12.0, 32.0)),
    ),
    Stop(
        "Listen to advice",
        "What a careful colleague would say stands below. A click follows it; "
        "Ctrl+Z takes back whatever you did.",
        _card,
        lambda b: b.store.method and b.store.method.source.steps,
        _advice,
    ),
    Stop(
        "How the curve was made",
        "The method line says it as a sentence. Click the number of "
        "samples and take half of it: a shorter frame, more of them to average.",
        lambda b: b.method_line.phrase("frame"),
        _frame,
        _halve,
    ),
    Stop(
        "What can be told apart",
        "The ruler says what this method can see: tones closer than "
        "this show as one. Its handle trades frequency for time.",
        lambda b: b.ruler,
    ),
    Stop(
        "Read a tone",
        "Frequencies and amplitudes are fitted between the bins, with the digits "
        "that are known of them. Click one: the spectrum goes there.",
        lambda b: b.readings.peaks.table,
        lambda b: b.readings.current_peak(),
        lambda b: b.readings.peaks.table.selectRow(0),
    ),
    Stop(
        "Find what belongs together",
        "Harmonics and sidebands of one shaft are a comb. Press "
        "Shift+B to find them, or point at a tone and press B to drop one there.",
        lambda b: b.stage.spectrum,
        lambda b: b.store.ref and len(b.store.ref.combs),
        lambda b: b.finding.find_combs(),
    ),
    Stop(
        "See how it changes",
        "Press 4: the spectrogram lies under the spectrum, on one axis. The "
        "keys , and . step from frame to frame.",
        lambda b: b.stage,
        _seen,
        lambda b: b.stage.toggle_pane("spectrogram"),
    ),
    Stop(
        "Keep it to compare",
        "Press H: the curve stays while you change the method or look at "
        "another recording, and Ctrl+H lists what changed since.",
        lambda b: b.shelf,
        lambda b: len(b.store.document.held),
        lambda b: b.context.held.hold(),
    ),
    Stop(
        "Hand it over",
        "Ctrl+R saves a report: one file with the method, the pictures, the "
        "figures with their uncertainty, and the cautions. Ctrl+S saves the session. Then open a "
        "recording of your own: drop it on the window.",
        lambda b: b.menuBar(),
    ),
)


class Tour(QObject):
    """One walk. It takes no input away: everything in the window works as it does without."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self._bench = bench
        self.at = -1
        self._began: object = None
        self._lacks = 0
        self.callout: Callout | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self._look)

    @property
    def running(self) -> bool:
        """Whether it is under way."""
        return self.at >= 0

    def start(self) -> None:
        """Begin on the demo, from the first step."""
        if self.callout is None:
            self.callout = Callout(self._bench)
            self.callout.onward.connect(self._onward)
            self.callout.left.connect(self.leave)
        if not any(ref.name == "drive-steady" for ref in self._bench.store.document.recordings):
            self._bench.opening.open_demo()
        self._bench.installEventFilter(self)
        self._go(0)
        self._timer.start()

    def leave(self) -> None:
        """End it, wherever it is."""
        self._timer.stop()
        self._bench.removeEventFilter(self)
        self.at = -1
        if self.callout is not None:
            self.callout.leave()

    def _go(self, number: int) -> None:
        if number >= len(STEPS):
            self.leave()
            return
        self.at, self._lacks = number, 0
        step = STEPS[number]
        self._began = step.state(self._bench) if step.state is not None else None
        last = number == len(STEPS) - 1
        go = "Do it for me" if step.do is not None else "Done" if last else "Next"
        assert self.callout is not None
        self.callout.say(f"{number + 1} of {len(STEPS)} · {step.title}", step.text, go)
        self._look()

    def _onward(self) -> None:
        step = STEPS[self.at]
        before = self.at
        if step.do is not None:
            step.do(self._bench)
        if self.at == before:
            self._go(before + 1)

    def _look(self) -> None:
        """Go on where the step's thing was done; stand where its control is now."""
        if not self.running or self.callout is None:
            return
        step = STEPS[self.at]
        if step.state is not None and step.state(self._bench) != self._began:
            self._go(self.at + 1)
            return
        control = step.where(self._bench)
        if control is not None and not control.isVisible():
            control = None
        waits = self._bench.store.method is None or self._bench.context.scheduler.busy
        self._lacks = self._lacks + 1 if control is None and not waits else 0
        if self._lacks > _PATIENCE:  # there is nothing of the kind, as where no caution is
            self._go(self.at + 1)
            return
        self.callout.point_at(control)

    def eventFilter(self, _: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape and self.running:
                self.leave()
        elif event is not None and event.type() == QEvent.Type.Resize:
            self._look()
        return False
