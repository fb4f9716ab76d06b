"""In short: what the recording holds, at the head of the readings; each sentence leads to its
place."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from PyQt6.QtCore import QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget

from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.caution import Caution
from tonecomb.core.say.in_short import in_short
from tonecomb.core.say.overview import Sentence
from tonecomb.desktop.edits.peak_notes import PeakNotes
from tonecomb.desktop.kit.theme import Theme, current_theme, font
from tonecomb.desktop.kit.widgets import link

_FIRST_TALL = 100  # pixels of the sentences that are shown before more are asked for
_LOW_WINDOW = 660  # pixels of a window's height, up to which the first sentence has to do
_BETWEEN = 3  # pixels
_ABOUT_WIDE = 220  # pixels, where it has not been laid out yet


def _kept_together(text: str) -> str:
    """Figures with their units, however the lines break."""
    for unit in ("%", "Hz"):
        text = text.replace(f" {unit}", f"&nbsp;{unit}")
    return text


class ShortReadings(QWidget):
    """The first sentences, and all on a click. ``chosen`` carries the :class:`Sentence` that was
    clicked, ``resized`` when more or less of it is shown."""

    chosen = pyqtSignal(object)
    resized = pyqtSignal()

    def __init__(self, notes: PeakNotes) -> None:
        super().__init__()
        self._notes = notes
        self._of: str | None = None
        self.parts: tuple[Sentence, ...] = ()
        self._now: tuple[Analysis, tuple[Caution, ...]]
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._tell)
        self.whole, self._filled = False, 0
        self.words = QLabel()
        self.words.setFont(font(9))
        self.words.setWordWrap(True)
        self.words.setTextFormat(Qt.TextFormat.RichText)
        self.words.setAccessibleName("In short")
        self.words.setToolTip("What the recording holds; click a sentence to go there")
        flags = Qt.TextInteractionFlag
        self.words.setTextInteractionFlags(
            flags.LinksAccessibleByMouse | flags.LinksAccessibleByKeyboard
        )
        self.words.linkActivated.connect(lambda at: self.chosen.emit(self.parts[int(at)]))
        self.more = link("", "Show all sentences, or only the first", self._turn)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.words)
        column.addWidget(self.more)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self.hide()

    @property
    def needed(self) -> int:
        """Pixels that it takes from what is below."""
        if self.isHidden():
            return 0
        return self.words.minimumHeight() + (26 if self._rest else 8)

    @property
    def _shown(self) -> Sequence[Sentence]:
        """All, or as many of the first as take little room, one at least."""
        if self.whole:
            return self.parts
        metrics, tall, count = QFontMetrics(self.words.font()), 0, 0
        window = self.window()
        most = 0 if window is not None and window.height() <= _LOW_WINDOW else _FIRST_TALL
        area = QRect(0, 0, max(self.width(), _ABOUT_WIDE), 10_000)
        for part in self.parts:
            words = metrics.boundingRect(area, Qt.TextFlag.TextWordWrap, part.text)
            tall += words.height() + _BETWEEN
            if count and tall > most:
                break
            count += 1
        return self.parts[:count]

    @property
    def _rest(self) -> int:
        """How many sentences are not among the first."""
        whole, self.whole = self.whole, False
        rest = len(self.parts) - len(self._shown)
        self.whole = whole
        return rest

    def follow(self, analysis: Analysis | None, cautions: tuple[Caution, ...]) -> None:
        """Tell what there is now. Of the same recording what was told stays until something else
        was found; of another it goes at once."""
        of = None if analysis is None else analysis.recording_id
        if analysis is None or (analysis.found is None and of != self._of):
            self._later.stop()
            self.show_parts(())
        elif analysis.found is not None:
            self._now = (analysis, cautions)
            self._later.start()  # cautions follow their analysis, and it is told once
        self._of = of

    def _tell(self) -> None:
        parts = in_short(*self._now, self._notes.knowledge)
        # Cautions have their cards below.
        self.show_parts(tuple(part for part in parts if part.kind != "caution"))

    def show_parts(self, parts: tuple[Sentence, ...]) -> None:
        """Show these sentences; nothing for none."""
        if parts != self.parts:
            self.parts = parts
            self._fill()

    def set_theme(self, _: Theme) -> None:
        """Colour the links."""
        self._fill()

    def _turn(self) -> None:
        self.whole = not self.whole
        self._fill()

    def _fill(self) -> None:
        ink, self._filled = current_theme().ink, len(self._shown)
        self.words.setText(
            "".join(
                f'<p style="margin:0 0 {_BETWEEN}px 0">'
                f'<a href="{i}" style="color:{ink}; text-decoration:none">'
                f"{_kept_together(escape(part.text))}</a></p>"
                for i, part in enumerate(self._shown)
            )
        )
        rest = self._rest
        self.more.setVisible(rest > 0)
        more = "1 sentence more" if rest == 1 else f"{rest} sentences more"
        self.more.setText("In short only" if self.whole else more)
        self.setVisible(bool(self.parts))
        self._make_room()
        self.resized.emit()

    def _make_room(self) -> None:
        """A label that wraps asks for too little on its own."""
        wide = max(self.width(), _ABOUT_WIDE)
        self.words.setMinimumHeight(0)  # or it asks for what it had
        self.words.setMinimumHeight(max(self.words.heightForWidth(wide), 0))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if len(self._shown) != self._filled:  # more or fewer have room in this width
            self._fill()
        self._make_room()

    def text(self) -> str:
        """All sentences, a line each."""
        return "\n".join(part.text for part in self.parts)
