"""The popovers of averaging: how frames become one spectrum, and which are left out."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from tonecomb.core.estimate.averages import AVERAGES, Average, InStep, Single
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Stretch, whole
from tonecomb.core.record.signal import Signal
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


class AveragePopover(Popover):
    """Applies each choice at once; what belongs to the chosen average can be set below it."""

    def __init__(self, store: Store, signal: Signal, method: Method, parent: QWidget) -> None:
        super().__init__(
            parent,
            "Average",
            "How the frames become one spectrum. The mean is right for what stays; the median "
            "shrugs off what comes and goes.",
        )
        self._store, self._signal = store, signal
        average = method.averaging.average
        options = [Option(kind, kind.title, kind.note) for kind in AVERAGES.values()]
        chooser = OptionList(options, type(average), "choices")
        chooser.chosen.connect(self._choose)
        self.place = self._place(method)
        self.of_single = QWidget()
        self.of_single.setLayout(row(label("about"), self.place, None))
        self.of_sync = self._sync_fields(method)
        self.clipped = QCheckBox("Leave out frames that clip")
        self.clipped.setChecked(method.averaging.leave_clipped)
        self.clipped.toggled.connect(
            lambda on: store.edit_method("Leave out clipped frames", leave_clipped=on)
        )
        count = len(method.averaging.struck)
        text = "Strike out a part…" if not count else f"Struck out: {count}, change…"
        strike = link(text, "Leave out frames that touch a part (Shift+X)", self._strike)
        self.of_many = QWidget()
        column = QVBoxLayout(self.of_many)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.clipped)
        column.addWidget(strike)
        self.add(chooser, self.of_single, self.of_sync, self.of_many)
        self.setFocusProxy(chooser)
        self._arrange(type(average))

    def _place(self, method: Method) -> Number:
        start, stop = method.source.span(self._signal)
        fs = self._signal.rate
        average = method.averaging.average
        at = average.at if isinstance(average, Single) else None
        at = at if at is not None else (start + stop) / 2 / fs
        place = Number(at, start / fs, stop / fs, 3, "s")
        place.setAccessibleName("Middle of the single frame")
        place.valueChanged.connect(
            lambda value: self._store.edit_method(
                "Choose average", merge="single frame", average=Single(value)
            )
        )
        return place

    def _sync_fields(self, method: Method) -> QWidget:
        average, channels = method.averaging.average, self._signal.channels
        sync = average.sync if isinstance(average, InStep) else Sync()
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
            self.level.setSuffix(f"\u2009{self._signal.channels[channel].unit}")
        sync = Sync(
            period=self.period.value(),
            channel=channel,
            level=self.level.value(),
            falling=self.way.value,
        )
        self._store.edit_method("Choose trigger", merge="trigger", average=InStep(sync))
        self._arrange(InStep)

    def _choose(self, kind: type[Average]) -> None:
        if kind is InStep:
            self._set_sync()
            return
        average = Single(self.place.value()) if kind is Single else kind()
        self._store.edit_method("Choose average", average=average)
        self._arrange(kind)
        if kind is not Single:
            self.close()

    def _arrange(self, kind: type[Average]) -> None:
        """Show what belongs to this average only."""
        self.of_single.setVisible(kind is Single)
        self.of_sync.setVisible(kind is InStep)
        self.of_many.setVisible(kind.cut)
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
        popover = StrikePopover(self._store, self._signal, method, parent)
        popover.open_below(parent, popover.focusProxy())
        popover.move(anchor)


class StrikePopover(Popover):
    """Parts of the record whose frames do not take part."""

    def __init__(
        self,
        store: Store,
        signal: Signal,
        method: Method,
        parent: QWidget,
        suggested: tuple[float, float] | None = None,
    ) -> None:
        super().__init__(
            parent,
            "Strike out",
            "Frames that touch one of these parts are left out of the average, whole. Nothing is "
            "taken from the recording.",
        )
        self._store = store
        limits = method.source.stretch or whole(signal)
        digits = max(1, len(str(int(signal.rate))))
        low, high = suggested or (limits.start, limits.start)
        self.start = Number(low, 0, signal.duration, digits, "s")
        self.end = Number(high, 0, signal.duration, digits, "s")
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
        for part in method.averaging.struck if method is not None else ():
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
        struck = tuple(sorted({*method.averaging.struck, part}, key=lambda one: one.start))
        self._store.edit_method("Strike out", struck=struck)
        self._fill()

    def _drop(self, part: Stretch) -> None:
        method = self._store.method
        if method is not None:
            kept = tuple(one for one in method.averaging.struck if one != part)
            self._store.edit_method("Let it count", struck=kept)
        self._fill()
