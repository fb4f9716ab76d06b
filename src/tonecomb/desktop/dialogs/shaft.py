"""Choosing what tells the speed of the shaft by whose angle a run-up is analysed."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QLineEdit, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import MOST_TEETH, Wanted
from tonecomb.core.method.document import DroppedComb
from tonecomb.core.method.method import Method
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.kit.widgets import Choice, Number, Popover, label, link, row
from tonecomb.desktop.state.store import Store

_FIRST = Wanted(5.0, 30.0, (1, 2))  # where nothing is known
_ABOUT = 0.4  # of a comb's fundamental to either side that a run-up may go


def suggested(method: Method, combs: tuple[DroppedComb, ...]) -> Shaft:
    """The shaft of the method, or one that the comb that is followed, or dropped, speaks for."""
    if method.shaft is not None:
        return method.shaft
    comb = next((track for track in method.follow.tracks if track.teeth and track.low > 0), None)
    if comb is None:
        dropped = next((one for one in combs if one.carrier is None), None)
        comb = _FIRST
        if dropped is not None:
            low, high = (dropped.spacing * (1 + side * _ABOUT) for side in (-1, 1))
            teeth = tuple(range(max(1, dropped.first), min(dropped.last, MOST_TEETH) + 1))
            comb = Wanted(round(low, 3), round(high, 3), teeth)
    return Shaft(comb, orders=tuple(float(n) for n in comb.teeth[:3]))


class ShaftPopover(Popover):
    """Nothing is computed until all is said: a link applies it."""

    def __init__(
        self, store: Store, signal: Signal, shaft: Shaft, known: bool, parent: QWidget
    ) -> None:
        super().__init__(
            parent,
            "Shaft of a run-up",
            "What turns with the shaft keeps its order, however fast it turns; a resonance keeps "
            "its frequency. A channel close to the shaft tells its speed best.",
        )
        self._store, self._signal = store, signal
        comb, tacho = shaft.comb or _FIRST, shaft.tacho or Sync(channel=0)
        nyquist = signal.rate / 2
        names: list[tuple[object, str]] = [
            (i, channel.name) for i, channel in enumerate(signal.channels)
        ]
        self.kind = Choice(
            (("comb", "a comb that is followed"), ("tacho", "a tachometer")),
            "tacho" if shaft.tacho is not None else "comb",
            "What tells the speed",
        )
        self.low = Number(comb.low, 0, nyquist, 4, "Hz", shortest=True)
        self.high = Number(comb.high, 0, nyquist, 4, "Hz", shortest=True)
        self.teeth = QLineEdit(", ".join(map(str, comb.teeth)))
        self.channel = Choice(
            [(None, "the channel analysed"), *names], shaft.channel, "Channel of the comb"
        )
        self.tacho = Choice(names, tacho.channel, "Channel of the tachometer")
        self.way = Choice(
            ((False, "rises through"), (True, "falls through")), tacho.falling, "Edge"
        )
        self.level = Number(tacho.level, -1e12, 1e12, 6, "", shortest=True)
        self.pulses = Number(shaft.pulses, 1, 10_000, 0, "pulses a turn")
        self.orders = QLineEdit(", ".join(f"{order:g}" for order in shaft.orders))
        for field, name in (
            (self.low, "Slowest"),
            (self.high, "Fastest"),
            (self.teeth, "Teeth of the comb"),
            (self.level, "Level of the tachometer"),
            (self.pulses, "Pulses a turn"),
            (self.orders, "Orders to follow"),
        ):
            field.setAccessibleName(name)
        self._of_comb, self._of_tacho, self._of_level = QWidget(), QWidget(), QWidget()
        self._of_comb.setLayout(
            row(
                self.low,
                label("to"),
                self.high,
                label("teeth"),
                self.teeth,
                label("in"),
                self.channel,
            )
        )
        self._of_tacho.setLayout(row(self.tacho, self.way, self.level, self.pulses, None))
        self.wrong = label("", "quiet", wrap=True)
        use = link(
            "Analyse by this shaft", "Resample to its angle and follow its orders", self._apply
        )
        none = link("No shaft", "Leave the run-up", self._drop)
        none.setVisible(known)
        self.add(
            row(label("Speed from"), self.kind, None),
            self._of_comb,
            self._of_tacho,
            row(label("Follow the orders"), self.orders, None),
            self.wrong,
            row(use, none, None, spacing=16),
        )
        self.kind.picked.connect(lambda _: self._arrange())
        self.teeth.returnPressed.connect(self._apply)
        self.orders.returnPressed.connect(self._apply)
        self.setFocusProxy(self.low)
        self._arrange()

    def _arrange(self) -> None:
        comb = self.kind.value == "comb"
        self._of_comb.setVisible(comb)
        self._of_tacho.setVisible(not comb)
        self.adjustSize()

    def _apply(self) -> None:
        try:
            shaft = self._said()
            shaft.check(self._signal)
        except UserError as error:
            self.wrong.setText(error.text)
            self.adjustSize()
            return
        self._store.edit_method("Choose shaft", shaft=shaft)
        self.close()

    def _said(self) -> Shaft:
        try:
            orders = tuple(float(text) for text in _parts(self.orders.text()))
        except ValueError as error:
            raise UserError("Orders are numbers", remedy="type them like 1, 2, 17") from error
        if self.kind.value == "tacho":
            sync = Sync(channel=self.tacho.value, level=self.level.value(), falling=self.way.value)
            return Shaft(tacho=sync, pulses=int(self.pulses.value()), orders=orders)
        try:
            teeth = tuple(int(text) for text in _parts(self.teeth.text()))
        except ValueError as error:
            raise UserError("Teeth are whole numbers", remedy="type them like 1, 2, 17") from error
        comb = Wanted(self.low.value(), self.high.value(), teeth)
        return Shaft(comb, channel=self.channel.value, orders=orders)

    def _drop(self) -> None:
        self._store.edit_method("Leave the shaft", shaft=None)
        self.close()


def _parts(text: str) -> list[str]:
    return text.replace(",", " ").split()


def open_shaft(store: Store, combs: tuple[DroppedComb, ...], anchor: QWidget) -> None:
    """Ask what tells the shaft's speed."""
    signal, method = store.current, store.method
    if signal is None or method is None:
        return
    shaft = suggested(method, combs)
    if shaft.channel is not None and shaft.channel >= len(signal.channels):
        shaft = replace(shaft, channel=None)
    popover = ShaftPopover(store, signal, shaft, method.shaft is not None, anchor)
    popover.open_below(anchor, popover.low)
