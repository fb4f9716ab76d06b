"""Going back to the waveform to count a tone's periods."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.find.crests import Crests, find_crests
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.readings.readings import Readings
from tonecomb.desktop.stage.stage import Stage

_PERIODS = 24  # at most, that are zoomed to


class Going(QObject):
    """Goes to the waveform at the cursor of the view that has one."""

    def __init__(self, context: Context, stage: Stage, readings: Readings) -> None:
        super().__init__(context.window)
        self._store, self._jobs, self._moments = context.store, context.jobs, context.moments
        self._stage, self._readings, self._notices = stage, readings, context.notices

    def _place(self) -> tuple[float, float] | None:
        """Time in s and frequency in Hz: of the spectrogram's cursor, or else of the shown frame
        and the spectrum's cursor or the chosen peak."""
        for pane in self._stage.panes.values():
            if (cursor := pane.place) is not None:
                return cursor
        frequency = self._stage.spectrum.cursor
        if frequency is None and (peak := self._readings.current_peak()) is not None:
            frequency = peak.tone.frequency
        time = self._moments.time
        if time is None and (places := self._moments.places()) is not None:
            time = places.time(places.count // 2)
        return None if frequency is None or time is None else (time, frequency)

    def go(self) -> None:
        """Show the frame about the place on the waveform, zoomed to a number of the tone's
        periods that can be counted, its crests ticked."""
        place, signal, method = self._place(), self._store.current, self._store.method
        if place is None or signal is None or method is None:
            self._notices.tell(
                UserError(
                    "There is no place to go to",
                    remedy="point at a tone in the spectrogram or spectrum, or choose a peak",
                )
            )
            return
        self._moments.go(place[0])
        time = self._moments.time
        if time is None:
            return
        fs, channel, frequency = signal.rate, method.source.channel, place[1]
        start = min(max(round(time * fs - method.frames.frame / 2), 0), signal.length)
        stop = min(start + method.frames.frame, signal.length)

        def work(_: Progress) -> Crests | None:
            return find_crests(signal, channel, start, stop, frequency)

        def done(found: Crests | None) -> None:
            half = method.frames.frame / fs / 2
            if found is not None:
                half = min(half, _PERIODS / 2 / found.frequency)
            middle = min(max(place[0], start / fs + half), stop / fs - half)
            self._stage.show_view(0)
            self._stage.waveform.set_limits(middle - half, middle + half)
            self._stage.frame_place.show_crests(found)

        self._jobs.submit("Finding the crests", work, done, self._notices.tell)
