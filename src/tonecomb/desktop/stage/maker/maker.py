"""The maker: a made recording as sentences, a line for each part and one for the sampling, every
phrase to be edited where it stands."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial
from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.record.truth import folded
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.part import Part
from tonecomb.core.synthesis.table import PARTS
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.edits.making import SAMPLING
from tonecomb.desktop.kit.dial import DialPhrase, turned
from tonecomb.desktop.kit.flow import Flow
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import label, link
from tonecomb.desktop.stage.maker.phrase_editor import PhraseEditor, closing, setting_in, undone
from tonecomb.desktop.stage.plots.part_colours import part_colour

_ROW = 24  # pixels of a line that is not broken
_TALLEST = 148  # pixels, above which the parts scroll
_GONE = 1e-3  # of an amplitude that the low-pass leaves, which is then as good as none


class _Bar(QWidget):
    """A part's colour."""

    def __init__(self, number: int) -> None:
        super().__init__()
        self._number = number
        self.setFixedSize(5, 16)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        QPainter(self).fillRect(self.rect(), part_colour(current_theme(), self._number))


class Sentence(QWidget):
    """One line; ``number`` is the part's, or :data:`SAMPLING`."""

    def __init__(self, context: Context, number: int) -> None:
        super().__init__()
        self._making, self._number = context.making, number
        self._keys: list[str] = []
        self._measured: tuple[object, ...] = ()
        self.phrases: dict[str, DialPhrase] = {}
        self._pieces: list[QLabel | DialPhrase] = []
        inside = QHBoxLayout(self)
        inside.setContentsMargins(8, 0, 8, 0)
        inside.setSpacing(8)
        if number != SAMPLING:
            inside.addWidget(_Bar(number), 0, Qt.AlignmentFlag.AlignVCenter)
        words = QWidget()
        self._row = Flow(5, 2)
        words.setLayout(self._row)
        inside.addWidget(words, 1)
        self.note = label("", "caution")
        self.note.setFont(font(9))
        inside.addWidget(self.note)
        self.tail = inside
        if number != SAMPLING:
            self.more = link(
                "⋯", "Swing it, let it stand for a time, move it or drop it", self._menu
            )
            inside.addWidget(self.more)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)

    @property
    def _owner(self) -> Any:
        made = self._making.made
        if made is None:
            return None
        if self._number == SAMPLING:
            return made.sampling
        return made.parts[self._number] if self._number < len(made.parts) else None

    def tall(self, wide: int) -> int:
        """The height that it needs in a width, which is fixed so."""
        told = (wide, self.note.text(), *(piece.text() for piece in self._pieces))
        if told == self._measured:
            return self.minimumHeight()
        self._measured = told
        beside = 60 + (self.note.sizeHint().width() + 8 if self.note.text() else 0)
        height = max(_ROW, self._row.heightForWidth(max(wide - beside, 120)))
        if height != self.height() or height != self.minimumHeight():
            self.setFixedHeight(height)
        return height

    def show_words(self, told: list[tuple[str, str]], note: str) -> None:
        """Show a sentence; where it says the same things, their words alone change."""
        keys = [key or text for key, text in told]
        if keys != self._keys:
            self._rebuild(told)
            self._keys = keys
        changed = False
        for piece, (_, text) in zip(self._pieces, told, strict=True):
            if piece.text() != text:
                piece.setText(text)
                changed = True
        if note != self.note.text():
            shade = part_colour(current_theme(), self._number).name()
            self.note.setStyleSheet(f"color: {shade}")
            self.note.setText(note)
            self.note.setVisible(bool(note))
        if changed:
            self._row.invalidate()

    def _rebuild(self, told: list[tuple[str, str]]) -> None:
        while (item := self._row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.phrases, self._pieces = {}, []
        for key, text in told:
            piece = self._phrase(key, text) if key else label(text, "quiet")
            if isinstance(piece, DialPhrase):
                self.phrases[key] = piece
            else:
                piece.setFont(font(10))
            self._pieces.append(piece)
            self._row.addWidget(piece)

    def _phrase(self, key: str, text: str) -> DialPhrase:
        setting = setting_in(self._owner, key)
        number = setting is not None and setting.kind in ("number", "whole")
        phrase = DialPhrase(
            text, "" if setting is None else setting.help.capitalize(), wheel=number
        )
        phrase.setAccessibleName(key)
        phrase.clicked.connect(partial(self.edit, key))
        phrase.wheeled.connect(partial(self._wheel, key))
        return phrase

    def edit(self, key: str, anchor: QWidget | None = None) -> PhraseEditor | None:
        """Open the editor of a phrase."""
        if self._owner is None:
            return None
        popover = PhraseEditor(self, self._making, self._number, key)
        group = {"end": "start", "am_rate": "am", "fm_rate": "fm"}.get(key, key)
        if group in ("start", "am", "fm") and self._number != SAMPLING:
            text = "All the time" if group == "start" else "Without it"
            act = undone(self._making, self._number, group)
            popover.add(closing(popover, text, "Take this back", act))
        popover.open_below(self.phrases.get(key) or self, popover.focusProxy())
        return popover

    def _wheel(self, key: str, notches: int, coarse: bool) -> None:
        owner = self._owner
        setting = None if owner is None else setting_in(owner, key)
        if setting is None:
            return
        whole, value = setting.kind == "whole", float(getattr(owner, key))
        if setting.unit == "°":
            new = (value + notches * (15 if coarse else 1) + 180) % 360 - 180
        else:
            new = turned(value, notches, coarse=coarse, whole=whole)
        self._making.set_one(self._number, key, int(new) if whole else new)

    def _menu(self) -> None:
        menu = self.menu()
        menu.exec(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def menu(self) -> QMenu:
        """What can be done with the part."""
        menu, part, number = QMenu(self), self._owner, self._number
        assert isinstance(part, Part)
        made = self._making.made
        seconds = 1.0 if made is None else made.sampling.duration
        offered: list[tuple[str, Any]] = []
        if not part.am:
            offered.append(("Swing its amplitude", {"am": 20.0, "am_rate": round(4 / seconds, 3)}))
        if not part.fm and part.bends:
            offered.append(("Swing its frequency", {"fm": 1.0, "fm_rate": round(4 / seconds, 3)}))
        if not (part.start or part.end):
            ends = {"start": seconds / 4, "end": 3 * seconds / 4}
            offered.append(("Only for a part of the time", ends))
        for text, changes in offered:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, changes=changes: self._say(changes))
        menu.addSeparator()
        for text, act in (
            ("Move up", lambda: self._making.move(number, -1)),
            ("Move down", lambda: self._making.move(number, 1)),
            ("Drop", lambda: self._making.drop(number)),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, act=act: act())
        return menu

    def _say(self, changes: dict[str, float]) -> None:
        made = self._making.made
        if made is not None and self._number < len(made.parts):  # else it is gone meanwhile
            parts = list(made.parts)
            parts[self._number] = replace(parts[self._number], **changes)
            self._making.change("Change part", replace(made, parts=tuple(parts)))


class Maker(QWidget):
    """Stands above the views while a made recording is analysed."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._context, self._making = context, context.making
        self._shown: Made | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(4, 4, 4, 2)
        outer.setSpacing(2)
        self.hint = label("", "quiet", wrap=True)
        self.hint.setFont(font(9))
        self.hint.setContentsMargins(8, 0, 8, 2)
        outer.addWidget(self.hint)
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setFrameShape(QScrollArea.Shape.NoFrame)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        self._column = QVBoxLayout(inside)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._column.addStretch(1)
        self._area.setWidget(inside)
        outer.addWidget(self._area)
        self.sampling = Sentence(context, SAMPLING)
        self.add_part = link("Add a part", "A tone, noise, hits or another part", self._offer)
        self.sampling.tail.addWidget(self.add_part)
        outer.addWidget(self.sampling)
        self.parts: list[Sentence] = []
        self.hide()

    def refresh(self) -> None:
        """Show the description as it is now."""
        made = self._making.made
        self.setVisible(made is not None)
        if made is None or made == self._shown:
            return
        self._shown = made
        while len(self.parts) > len(made.parts):
            gone = self.parts.pop()
            self._column.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        while len(self.parts) < len(made.parts):
            self.parts.append(Sentence(self._context, len(self.parts)))
            self._column.insertWidget(len(self.parts) - 1, self.parts[-1])
        for i, (sentence, part) in enumerate(zip(self.parts, made.parts, strict=True)):
            sentence.show_words(part.phrases(made.unit), fold_words(made, i))
        self.sampling.show_words(made.sampling.phrases(made.unit), "")
        if made.hint != self.hint.text():
            self.hint.setText(made.hint)
        self.hint.setVisible(bool(made.hint))
        self._fit()

    def _fit(self) -> None:
        """As tall as the parts, up to a height at which they scroll."""
        inside = self._area.widget()
        assert inside is not None
        wide = max(self.width() - 16, 300)
        height = sum(sentence.tall(wide) for sentence in self.parts) + 2
        height = min(max(height, 4), _TALLEST)
        if height != self._area.minimumHeight():
            self._area.setFixedHeight(height)
        self.sampling.tall(wide)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._fit()

    def menu(self) -> QMenu:
        """The kinds of parts to add."""
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for kind in PARTS:
            action = menu.addAction(kind.title)
            assert action is not None
            action.setToolTip(kind.tip)
            action.triggered.connect(lambda _, kind=kind: self._add(kind))
        return menu

    def _offer(self) -> None:
        self.menu().exec(self.add_part.mapToGlobal(QPoint(0, self.add_part.height())))

    def _add(self, kind: type[Part]) -> None:
        if text := self._making.add(kind()):
            self._context.notices.show_notice(text, fault=True)


def fold_words(made: Made, number: int) -> str:
    """What becomes of a part whose line lies above half the rate: "" where nothing does."""
    part, fs = made.parts[number], made.sampling.rate
    lines = part.lines(number, made.conditions(number))
    if not lines:
        return ""
    top = max(lines, key=lambda line: line.amplitude)
    above = [line for line in lines if line.frequency > fs / 2]
    if not above:
        return ""
    if top.frequency <= fs / 2:
        return f"{len(above)} of its lines above half the rate"
    low_pass = made.sampling.filter
    if low_pass is not None and abs(complex(low_pass.response(top.frequency))) < _GONE:
        return "above half the rate, and taken out before"
    place = folded(top.frequency, fs)
    return f"above half the rate: shows at {place:.{_digits(place)}g} Hz"


def _digits(value: float) -> int:
    return 6 if value == 0 or math.log10(abs(value)) < 5 else 8
