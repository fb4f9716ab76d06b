"""What was understood of a file, as sentences whose words can be changed where they stand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tonecomb.core.method.given import ColumnGiven, Given, Import
from tonecomb.core.say.numbers import lasting
from tonecomb.desktop.kit.widgets import Choice, Number, label, row
from tonecomb.formats import time_column
from tonecomb.formats.assemble import Understood
from tonecomb.formats.text_layout import IN_WORDS

_DECIMALS = {".": "decimal points", ",": "decimal commas"}
_TIME_BASE = {
    "nominal": "join the samples at the nominal rate",
    "resample": "place them on an even grid, the gap missing",
    "cut": "cut the recording there",
}
_MISSING = {
    "refuse": "leave them, and refuse to analyse across",
    "interpolate": "draw straight lines across",
    "cut": "cut the recording there",
}
_MOST_PIECES = 500


def said_of(understood: Understood, given: Given) -> list[ColumnGiven]:
    """An entry for each column, whether anything was said or not."""
    return list(given.how.columns) or [ColumnGiven()] * len(understood.columns)


class Facts(QWidget):
    """Sentences about the file; ``changed`` carries what the user says now."""

    changed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(6)
        self._given = Given()

    def show_facts(self, understood: Understood, given: Given) -> None:
        """Say how the file was understood under ``given``."""
        self._given = given
        while (item := self._column.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for make in (self._cells, self._time, self._stamps, self._missing, self._pieces):
            make(understood)
        for text in understood.recording.assumed:
            self._say(label(text, "quiet", wrap=True))
        self._column.addStretch(1)

    def _say(self, *words: QWidget | None) -> None:
        line = QWidget()
        line.setLayout(row(*words, *([None] if len(words) > 1 else []), spacing=6))
        self._column.addWidget(line)

    def _choice(
        self,
        choices: Sequence[tuple[Any, str]],
        current: Any,
        name: str,
        change: Callable[[Any], Given],
    ) -> Choice:
        choice = Choice(choices, current, name)
        choice.picked.connect(lambda value: self.changed.emit(change(value)))
        return choice

    def _how(self, **changes: Any) -> Given:
        return replace(self._given, how=replace(self._given.how, **changes))

    def _cells(self, understood: Understood) -> None:
        contents = understood.contents
        if contents.delimiter is None:
            return
        between = self._choice(
            [(sign, words) for sign, words in IN_WORDS.items()],
            contents.delimiter,
            "What divides the cells",
            lambda sign: self._how(delimiter=sign, decimal=contents.decimal, columns=()),
        )
        points = self._choice(
            list(_DECIMALS.items()),
            contents.decimal,
            "Decimal sign",
            lambda sign: self._how(decimal=sign, delimiter=contents.delimiter, columns=()),
        )
        first = label(f"; numbers from line {contents.first_row}.")
        self._say(label("Cells are divided by"), between, label("and have"), points, first)

    def _time(self, understood: Understood) -> None:
        columns, at = understood.columns, understood.time
        length = columns[at].length if at is not None else understood.recording.length
        choices = [(None, "no column")] + [
            (i, f"column {i + 1}, {c.name}" if c.name else f"column {i + 1}")
            for i, c in enumerate(columns)
            if (c.role != "leave out" or said_of(understood, self._given)[i].role == "leave out")
            and c.length == length
        ]

        def choose(chosen: int | None) -> Given:
            said = said_of(understood, self._given)
            if at is not None:
                said[at] = replace(said[at], role="data", unit=None)
            if chosen is not None:
                said[chosen] = replace(said[chosen], role="time")
            return replace(self._how(columns=tuple(said)), rate=None)

        column = self._choice(choices, at, "Time column", choose)
        recording = understood.recording
        if at is not None and understood.base is not None:
            size = time_column.factor(columns[at].unit) or 1.0
            units = [(symbol, time_column.IN_WORDS[s]) for s, symbol in time_column.SYMBOLS.items()]

            def count_in(symbol: str) -> Given:
                said = said_of(understood, self._given)
                said[at] = replace(said[at], role="time", unit=symbol)
                return self._how(columns=tuple(said))

            counted = self._choice(units, time_column.SYMBOLS[size], "Unit of time", count_in)
            base = understood.base
            step = f"steps of {base.mean * 1e3:.6g} ms, so {base.rate:g} Hz."
            self._say(label("Time is in"), column, label("in"), counted, label(f": {step}"))
        elif recording.rate_source == "header":
            rate = label(f"Sample rate {recording.rate_found}. Time:")
            self._say(rate, column)
        else:
            hertz = Number(self._given.rate or 0.0, 0.0, 1e9, 6, "Hz", shortest=True)
            hertz.setAccessibleName("Sample rate")
            hertz.setSpecialValueText("rate in Hz")
            hertz.valueChanged.connect(
                lambda value: self.changed.emit(replace(self._given, rate=value or None))
            )
            self._say(label("Time is in"), column, label("; the sample rate is"), hertz)
            if self._given.rate is None:
                hertz.setFocus()
                hertz.selectAll()  # typing takes the place of the words

    def _stamps(self, understood: Understood) -> None:
        base, chosen = understood.base, self._given.how.time_base
        if base is None or not base.irregular:
            return
        for problem in understood.recording.problems:
            if problem.code in ("gaps", "stamps", "jitter"):
                self._say(label(problem.text, wrap=True))
        keep = self._choice(
            list(_TIME_BASE.items()),
            chosen,
            "What becomes of uneven times",
            lambda value: self._how(time_base=value, piece=None),
        )
        self._say(label("There,"), keep)

    def _missing(self, understood: Understood) -> None:
        counts, chosen = understood.contents.missing, self._given.how.missing
        data = [i for i, c in enumerate(understood.columns) if c.role == "data"]
        missing = sum(counts[i] for i in data) if counts else None
        if missing == 0 and self._given.how.time_base != "resample":
            return
        known = f"{missing} values are missing:" if missing else "Where values are missing,"
        keep = self._choice(
            list(_MISSING.items()),
            chosen,
            "What becomes of missing values",
            lambda value: self._how(missing=value, piece=None),
        )
        self._say(label("1 value is missing:" if missing == 1 else known), keep)

    def _pieces(self, understood: Understood) -> None:
        pieces, rate = understood.pieces, understood.recording.sample_rate
        if len(pieces) < 2:
            return
        longest = sorted(range(len(pieces)), key=lambda i: pieces[i][0] - pieces[i][1])
        numbers = sorted(longest[:_MOST_PIECES])
        choices = []
        for i in numbers:
            count = pieces[i][1] - pieces[i][0]
            length = lasting(count / rate) if rate else f"{count} samples"
            choices.append((i, f"piece {i + 1} of {len(pieces)}, {length}"))
        keep = self._choice(
            choices, understood.piece, "Piece", lambda piece: self._how(piece=piece)
        )
        self._say(label("Kept is"), keep)


def unsaid(how: Import) -> Import:
    """The same with no entry for columns where nothing is said of any."""
    return how if any(c != ColumnGiven() for c in how.columns) else replace(how, columns=())
