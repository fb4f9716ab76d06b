"""What is watched for in a live recording: a trigger for captures, and alarms."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

from PyQt6.QtWidgets import QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.desktop.kit.rows_popover import RowsPopover
from tonecomb.desktop.kit.widgets import Choice, Number, label, link, row
from tonecomb.live.source import Described
from tonecomb.live.watching import SLOPES, Alarm, Trigger

MOST_ALARMS = 12
Wanted = tuple[Trigger | None, tuple[Alarm, ...]]


class WatchPopover(RowsPopover):
    """``wanted`` is what is watched for; every change is handed to ``apply`` at once. ``held``
    makes an alarm over the held trace that is shown, or tells why it cannot."""

    def __init__(
        self,
        parent: QWidget,
        wanted: Wanted,
        described: Described,
        channel: int,
        apply: Callable[[Wanted], None],
        held: Callable[[], Alarm],
    ) -> None:
        super().__init__(
            parent,
            "Watch for",
            "Captures pile up in the readings, alarms are kept with their time; both while more is "
            "received, also when the pictures are frozen.",
            (
                link("Alarm: rms in a band", "Tell when it is above a level", self._add_band),
                link(
                    "Alarm: over the held trace",
                    "Tell when the spectrum is above a held trace",
                    self._add_held,
                ),
            ),
        )
        self._trigger, self._alarms = wanted
        self._channels, self._rate = described.channels, described.rate
        self._channel = channel
        self._do, self._held = apply, held
        self._refill()

    def _refill(self) -> None:
        rows = [self._trigger_row(), *(self._alarm_row(i) for i in range(len(self._alarms)))]
        self.fill(rows)

    def _apply(self) -> None:
        try:
            if self._trigger is not None:
                self._trigger.check(self._channels)
            for alarm in self._alarms:
                alarm.check(self._channels, self._rate)
        except UserError as error:
            self.wrong.setText(error.text)
            return
        self.wrong.setText("")
        self._do((self._trigger, self._alarms))

    def _names(self) -> list[tuple[int, str]]:
        return [(i, channel.name) for i, channel in enumerate(self._channels)]

    # The trigger

    def _trigger_row(self) -> QWidget:
        trigger = self._trigger
        kind = "none" if trigger is None else "every" if trigger.level is None else "level"
        kinds = Choice(
            (("none", "no captures"), ("level", "where"), ("every", "every")), kind, "Captures"
        )
        kinds.picked.connect(self._choose_kind)
        parts: list[QWidget] = [label("Capture"), kinds]
        if trigger is not None:
            length = Number(trigger.length, 0.001, 3600, 4, "s", shortest=True)
            length.setAccessibleName("Length of a capture")
            length.valueChanged.connect(partial(self._set, "length"))
            if trigger.level is None:
                every = Number(trigger.every, 0.01, 86_400, 3, "s", shortest=True)
                every.setAccessibleName("Time between captures")
                every.valueChanged.connect(partial(self._set, "every"))
                parts += [every, label("for"), length]
            else:
                channel = Choice(self._names(), trigger.channel, "Channel of the trigger")
                channel.picked.connect(partial(self._set, "channel"))
                slope = Choice(list(SLOPES.items()), trigger.slope, "Way of crossing")
                slope.picked.connect(partial(self._set, "slope"))
                unit = self._channels[trigger.channel].unit
                level = Number(trigger.level, -1e9, 1e9, 6, unit, shortest=True)
                level.setAccessibleName("Level of the trigger")
                level.valueChanged.connect(partial(self._set, "level"))
                before = Number(trigger.before, 0, 3600, 4, "s", shortest=True)
                before.setAccessibleName("Before the trigger")
                before.valueChanged.connect(partial(self._set, "before"))
                parts += [
                    channel,
                    slope,
                    level,
                    label("for"),
                    length,
                    label("from"),
                    before,
                    label("ahead"),
                ]
        return _line(parts)

    def _choose_kind(self, kind: str) -> None:
        usual = self._trigger or Trigger(self._channel)
        if kind == "none":
            self._trigger = None
        elif kind == "every":
            self._trigger = replace(usual, level=None, before=0.0)
        else:
            self._trigger = replace(usual, level=usual.level or 1.0)
        self._refill()
        self._apply()

    def _set(self, name: str, value: object) -> None:
        if self._trigger is not None:
            self._trigger = replace(self._trigger, **{name: value})  # type: ignore[arg-type]
            self._apply()

    # The alarms

    def _alarm_row(self, at: int) -> QWidget:
        alarm = self._alarms[at]
        high = min(alarm.high, self._rate / 2)
        channel = Choice(self._names(), alarm.channel, "Channel of the alarm")
        low_, high_ = (
            Number(f, 0, self._rate / 2, 4, "Hz", shortest=True) for f in (alarm.low, high)
        )
        channel.picked.connect(lambda value: self._change(at, channel=value))
        low_.valueChanged.connect(lambda value: self._change(at, low=value))
        high_.valueChanged.connect(lambda value: self._change(at, high=value))
        parts: list[QWidget] = [label("Alarm:"), channel, low_, label("to"), high_]
        if alarm.curve is None:
            unit = self._channels[alarm.channel].unit
            level = Number(alarm.level, 1e-12, 1e12, 9, f"{unit} rms", shortest=True)
            level.setAccessibleName("Level of the alarm")
            level.valueChanged.connect(lambda value: self._change(at, level=value))
            parts += [label("over"), level]
        else:
            channel.setEnabled(False)  # the trace is of this channel
            margin = Number(alarm.margin, 0, 120, 2, "dB", shortest=True)
            margin.setAccessibleName("Margin over the held trace")
            margin.valueChanged.connect(lambda value: self._change(at, margin=value))
            parts += [margin, label(f"over {alarm.called}")]
        for field, name in ((low_, "Lowest frequency"), (high_, "Highest frequency")):
            field.setAccessibleName(name)
        return _line([*parts, link("drop", "Watch for it no more", lambda: self._drop(at))])

    def _change(self, at: int, **changes: object) -> None:
        alarms = list(self._alarms)
        alarms[at] = replace(alarms[at], **changes)  # type: ignore[arg-type]
        self._alarms = tuple(alarms)
        self._apply()

    def _drop(self, at: int) -> None:
        self._alarms = (*self._alarms[:at], *self._alarms[at + 1 :])
        self._refill()
        self._apply()

    def _add(self, alarm: Alarm) -> None:
        if len(self._alarms) >= MOST_ALARMS:
            self.wrong.setText(f"There are {MOST_ALARMS} alarms already.")
            return
        self._alarms = (*self._alarms, alarm)
        self._refill()
        self._apply()

    def _add_band(self) -> None:
        self._add(Alarm(self._channel, 10.0, min(1000.0, self._rate / 2), 1.0))

    def _add_held(self) -> None:
        try:
            self._add(self._held())
        except UserError as error:
            self.wrong.setText(error.text)


def _line(parts: Sequence[QWidget]) -> QWidget:
    line = QWidget()
    laid = row(*parts, None, spacing=6)
    laid.setContentsMargins(0, 0, 0, 0)
    line.setLayout(laid)
    return line
