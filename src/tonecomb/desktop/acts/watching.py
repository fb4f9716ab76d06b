"""Watching a live recording for captures and alarms, and what becomes of them."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.desktop.dialogs.watching import Wanted, WatchPopover
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.readings.readings import Readings
from tonecomb.desktop.stage.spectrum.alarm_lines import ShownAlarm
from tonecomb.desktop.stage.stage import Stage
from tonecomb.live.receiver import Receiver
from tonecomb.live.spool import SpoolReader
from tonecomb.live.watching import Alarm, Event

_MOST_POINTS = 5000  # of a curve that is watched


class Watching(QObject):
    """What is ``wanted`` goes on from one live recording to the next, as far as its channels go.
    ``chosen`` carries the :class:`Event` that is to be looked at."""

    chosen = pyqtSignal(object)

    def __init__(self, context: Context, stage: Stage, readings: Readings) -> None:
        super().__init__(context.window)
        self._context, self._store = context, context.store
        self._bar, self._page, self._readings = stage.live_bar, readings.events, readings
        self.wanted: Wanted = (None, ())
        self.events: dict[tuple[str, int], Event] = {}
        self.aside: set[int] = set()
        self._receiver: Receiver | None = None
        self._reader: SpoolReader | None = None
        self.lines, self._line = stage.spectrum.alarms, stage.waveform.level_line
        self._bar.watched.connect(self.ask)
        self._page.chosen.connect(self.chosen)
        self._page.set_aside.connect(self.set_aside)
        context.store.changed.connect(self._draw)

    def begin(self, receiver: Receiver, reader: SpoolReader) -> None:
        """Watch what is received from now on."""
        self._receiver, self._reader = receiver, reader
        self.events, self.aside = {}, set()
        trigger, alarms = self.wanted
        channels, rate = reader.described.channels, reader.described.rate
        try:
            if trigger is not None:
                trigger.check(channels)
            for alarm in alarms:
                alarm.check(channels, rate)
        except UserError:
            self.wanted = (None, ())
        if self.wanted != (None, ()):
            self.watch_for(self.wanted)
        self.show()

    def end(self) -> None:
        """Nothing is received any more; what came stays listed."""
        self._receiver = None
        self._draw()

    def poll(self) -> None:
        """Take over what came."""
        if self._reader is None or self._receiver is None:
            return
        events = self._reader.events()
        for event in events:
            self.events[event.kind, event.number] = event
        if events:
            self.show()

    def ask(self) -> None:
        """Choose what to watch for."""
        reader, method = self._reader, self._store.method
        if reader is None or self._receiver is None or method is None:
            return
        channel = min(method.source.channel, len(reader.described.channels) - 1)
        popover = WatchPopover(
            self._bar, self.wanted, reader.described, channel, self.watch_for, self._over
        )
        popover.open_below(self._bar.watch)

    def watch_for(self, wanted: Wanted) -> None:
        """Watch for this, and for nothing else."""
        self.wanted = wanted
        if self._receiver is not None:
            self._receiver.watch(*wanted)
        self.show()

    def _over(self) -> Alarm:
        """An alarm over the held trace that is shown last."""
        shown = self._context.held.shown
        reader, method = self._reader, self._store.method
        if not shown or reader is None or method is None:
            raise UserError("There is no held trace", remedy="hold the trace first (H)")
        held, rate = shown[-1].analysis, reader.described.rate
        names = [one.name for one in reader.described.channels]
        if held.fs != rate or held.channel.name not in names or held.order:
            raise UserError(
                f"{shown[-1].trace.name} is not of a channel that is received, as it comes",
                remedy="hold a trace of the live recording",
            )
        spectrum = held.estimate.spectrum
        step = max(1, -(-len(spectrum.frequency) // _MOST_POINTS))
        count = len(spectrum.frequency) // step * step
        # Of several bins the highest stands for all: no tone of the trace is an alarm.
        highest = spectrum.mean_square[:count].reshape(-1, step).max(axis=1)
        frequency = spectrum.frequency[:count:step]
        low = float(spectrum.frequency[min(3, count - 1)])
        return Alarm(
            names.index(held.channel.name),
            low,
            rate / 2,
            curve=(tuple(frequency.tolist()), tuple(highest.tolist())),
            frame=held.method.frames.frame,
            taper=held.method.frames.window,
            called=shown[-1].trace.name,
        )

    def set_aside(self, number: int) -> None:
        """Set a capture aside, or take it back."""
        self.aside ^= {number}
        self.show()

    def show(self) -> None:
        """List what came, and draw the alarms."""
        reader = self._reader
        self._readings.offer("events", reader is not None and bool(self.events or any(self.wanted)))
        if reader is None:
            return
        trigger, alarms = self.wanted
        channels, rate = reader.described.channels, reader.described.rate
        lines = [] if trigger is None else [trigger.words(channels)]
        lines += [alarm.words(channels) for alarm in alarms]
        events = sorted(self.events.values(), key=lambda event: event.at)
        self._page.show_events(events, rate, channels, self.aside, lines)
        self._readings.count_events(len(events))
        self._draw()

    def _draw(self) -> None:
        reader, method, ref = self._reader, self._store.method, self._store.ref
        receiver = self._receiver
        here = ref is not None and receiver is not None and ref.given.live == receiver.source
        if reader is None or method is None or not here:
            self.lines.show_alarms(())
            self._line.hide()
            return
        trigger = self.wanted[0]
        level = None if trigger is None else trigger.level
        self._line.setVisible(
            level is not None and trigger is not None and trigger.channel == method.source.channel
        )
        self._line.setValue(level or 0.0)
        rate, channels = reader.described.rate, reader.described.channels
        running = [event for event in self.events.values() if event.running]
        shown = []
        for alarm in self.wanted[1]:
            if alarm.channel != method.source.channel:
                continue
            on = [
                e
                for e in running
                if e.channel == alarm.channel and alarm.low - 1 <= e.hz <= alarm.high + 1
            ]
            unit = channels[alarm.channel].unit
            words = (
                f"alarm {alarm.level:g} {unit} rms"
                if alarm.curve is None
                else f"alarm {alarm.margin:g} dB over {alarm.called}"
            )
            if on:
                lasted = (on[-1].end - on[-1].first) / rate
                words += f": {on[-1].value:.3g} {unit}, over for {lasted:.0f} s"
            shown.append(ShownAlarm(alarm, words, bool(on)))
        self.lines.show_alarms(tuple(shown))
