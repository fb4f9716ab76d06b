"""The popovers of averaging: how frames become one spectrum, and which are left out."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from tonecomb.core.estimate.combining import Average
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.method import LEAVES_OUT, Method
from tonecomb.core.record.recording import Recording, Stretch, whole
from tonecomb.desktop.kit.widgets import (
    Choice,
    Number,
    Option,
    OptionList,
    Popover,
    label,
    link,
    row,
)
from tonecomb.desktop.state.store import Store

_NOTES: dict[Average, tuple[str, str]] = {
    "mean": ("Mean", "Of the frames' power; tones and noise as they are on average"),
    "median": ("Median", "Corrected for its bias; impacts and drop-outs hardly count"),
    "exponential": ("Exponential", "The newest frames count most: an eighth each"),
    "max": ("Maximum", "The highest that each bin ever reached; no peaks are fitted"),
    "min": ("Minimum", "The lowest that each bin ever fell to; no peaks are fitted"),
    "single": ("Single frame", "One frame only, about a time; it has a phase"),
    "synchronous": ("In step (synchronous)", "What keeps step with a trigger or period stays"),
}


class AveragePopover(Popover):
    """Applies each choice at once; what belongs to the chosen average can be set below it."""

    def __init__(self, store: Store, recording: Recording, method: Method, parent: QWidget) -> None:
        super().__init__(
            parent,
            "Average",
            "How the frames become one spectrum. The mean is right for what stays; the median "
            "shrugs off what comes and goes.",
        )
        self._store, self._recording = store, recording
        options = [Option(name, title, note) for name, (title, note) in _NOTES.items()]
        chooser = OptionList(options, method.average, "choices")
        chooser.chosen.connect(self._choose)
        self.place = self._place(method)
        self.of_single = QWidget()
        self.of_single.setLayout(row(label("about"), self.place, None))
        self.of_sync = self._sync_fields(method)
        self.clipped = QCheckBox("Leave out frames that clip")
        self.clipped.setChecked(method.leave_clipped)
        self.clipped.toggled.connect(
            lambda on: store.edit_method("Leave out clipped frames", leave_clipped=on)
        )
        count = len(method.struck)
        told = "Strike out a part…" if not count else f"Struck out: {count}, change…"
        strike = link(told, "Leave out frames that touch a part (Shift+X)", self._strike)
        self.of_many = QWidget()
        column = QVBoxLayout(self.of_many)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.clipped)
        column.addWidget(strike)
        self.add(chooser, self.of_single, self.of_sync, self.of_many)
        self.setFocusProxy(chooser)
        self._arrange(method.average)

    def _place(self, method: Method) -> Number:
        start, stop = (method.stretch or whole(self._recording)).indices(self._recording)
        fs = self._recording.rate
        at = method.at if method.at is not None else (start + stop) / 2 / fs
        place = Number(at, start / fs, stop / fs, 3, "s")
        place.setAccessibleName("Middle of the single frame")
        place.valueChanged.connect(
            lambda value: self._store.edit_method(
                "Choose average", merge="single frame", average="single", at=value
            )
        )
        return place

    def _sync_fields(self, method: Method) -> QWidget:
        sync, channels = method.sync, self._recording.channels
        names: list[tuple[object, str]] = [(None, "every")]
        names += [(i, f"when {channel.name}") for i, channel in enumerate(channels)]
        self.trigger = Choice(names, sync.channel, "What frames start with")
        self.period = Number(sync.period or 1.0, 1e-6, 1e6, 9, "s", shortest=True)
        self.way = Choice(((False, "rises through"), (True, "falls through")), sync.falling, "Edge")
        triggers = channels[sync.channel : sync.channel + 1] if sync.channel is not None else ()
        known = triggers[0].unit if triggers else ""
        self.level = Number(sync.level, -1e12, 1e12, 6, known, shortest=True)
        self.period.setAccessibleName("Period in seconds")
        self.level.setAccessibleName("Level of the trigger")
        self.trigger.picked.connect(self._set_sync)
        self.way.picked.connect(self._set_sync)
        self.period.valueChanged.connect(self._set_sync)
        self.level.valueChanged.connect(self._set_sync)
        fields = QWidget()
        column = QVBoxLayout(fields)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row(label("Frames start"), self.trigger, self.period, None))
        column.addLayout(row(self.way, self.level, None))
        return fields

    def _set_sync(self, _: object = None) -> None:
        channel = self.trigger.value
        if channel is not None:
            self.level.setSuffix(f"\u2009{self._recording.channels[channel].unit}")
        sync = Sync(
            period=self.period.value(), channel=channel, level=self.level.value(),
            falling=self.way.value,
        )  # fmt: skip
        self._store.edit_method("Choose trigger", merge="trigger", average="synchronous", sync=sync)
        self._arrange("synchronous")

    def _choose(self, value: object) -> None:
        average: Average = value  # type: ignore[assignment]
        if average == "synchronous":
            self._set_sync()
            return
        middle = self.place.value() if average == "single" else None
        self._store.edit_method("Choose average", average=average, at=middle)
        self._arrange(average)
        if average != "single":
            self.close()

    def _arrange(self, average: Average) -> None:
        """Show what belongs to this average only."""
        self.of_single.setVisible(average == "single")
        self.of_sync.setVisible(average == "synchronous")
        self.of_many.setVisible(average in LEAVES_OUT)
        triggered = self.trigger.value is not None
        self.period.setVisible(not triggered)
        self.way.setVisible(triggered)
        self.level.setVisible(triggered)
        self.adjustSize()

    def _strike(self) -> None:
        parent, anchor = self.parentWidget(), self.pos()
        self.close()
        method = self._store.method
        if parent is None or method is None:
            return
        popover = StrikePopover(self._store, self._recording, method, parent)
        popover.open_below(parent, popover.focusProxy())
        popover.move(anchor)


class StrikePopover(Popover):
    """Parts of the record whose frames do not take part."""

    def __init__(
        self, store: Store, recording: Recording, method: Method, parent: QWidget,
        suggested: tuple[float, float] | None = None,
    ) -> None:  # fmt: skip
        super().__init__(
            parent,
            "Strike out",
            "Frames that touch one of these parts are left out of the average, whole. Nothing is "
            "taken from the recording.",
        )
        self._store = store
        limits = method.stretch or whole(recording)
        digits = max(1, len(str(int(recording.rate))))
        low, high = suggested or (limits.start, limits.start)
        self.start = Number(low, 0, recording.duration, digits, "s")
        self.end = Number(high, 0, recording.duration, digits, "s")
        self.start.setAccessibleName("Strike out from")
        self.end.setAccessibleName("Strike out to")
        add = link("Strike out", "Leave out frames that touch this part", self._add)
        self._wrong = label("", "quiet")
        self._list = QVBoxLayout()
        self._list.setSpacing(4)
        self.add(row(label("from"), self.start, label("to"), self.end, add, None), self._wrong)
        self.body.addLayout(self._list)
        self.setFocusProxy(self.start)
        self._fill()

    def _fill(self) -> None:
        while (item := self._list.takeAt(0)) is not None:
            if (inner := item.widget()) is not None:
                inner.hide()
                inner.deleteLater()
        method = self._store.method
        for part in method.struck if method is not None else ():
            line = QWidget()
            text = label(f"{part.start:g}–{part.end:g} s")
            tip = "Frames there take part again"
            back = link("Let it count", tip, partial(self._drop, part))
            line.setLayout(row(text, None, back))
            self._list.addWidget(line)
        self.adjustSize()

    def _add(self) -> None:
        method = self._store.method
        if method is None:
            return
        if self.end.value() <= self.start.value():
            self._wrong.setText("The start must lie before the end.")
            return
        self._wrong.setText("")
        part = Stretch(self.start.value(), self.end.value())
        struck = tuple(sorted({*method.struck, part}, key=lambda one: one.start))
        self._store.edit_method("Strike out", struck=struck)
        self._fill()

    def _drop(self, part: Stretch) -> None:
        method = self._store.method
        if method is not None:
            kept = replace(method, struck=tuple(one for one in method.struck if one != part))
            self._store.edit_method("Let it count", struck=kept.struck)
        self._fill()
