"""Going back to the waveform to count a tone's periods."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from tonecomb.core.errors import UserError
from tonecomb.core.find.crests import Crests, find_crests
from tonecomb.core.progress import Progress
from tonecomb.desktop.readings.readings import Readings
from tonecomb.desktop.stage.stage import Stage
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.moments import Moments
from tonecomb.desktop.state.store import Store

_PERIODS = 24  # at most, that are zoomed to


class Going(QObject):
    """Goes to the waveform at the cursor of the view that has one."""

    def __init__(
        self, parent: QObject, store: Store, jobs: Jobs, moments: Moments, stage: Stage,
        readings: Readings, notices: Notices,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._store, self._jobs, self._moments = store, jobs, moments
        self._stage, self._readings, self._notices = stage, readings, notices

    def _place(self) -> tuple[float, float] | None:
        """Time in s and frequency in Hz: of the spectrogram's cursor, or else of the shown frame
        and the spectrum's cursor or the chosen peak."""
        if (cursor := self._stage.gram.shown.cursor) is not None:
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
        place, recording, method = self._place(), self._store.current, self._store.method
        if place is None or recording is None or method is None:
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
        fs, channel, frequency = recording.rate, method.channel, place[1]
        start = min(max(round(time * fs - method.frame / 2), 0), recording.length)
        stop = min(start + method.frame, recording.length)

        def work(_: Progress) -> Crests | None:
            return find_crests(recording, channel, start, stop, frequency)

        def done(found: Crests | None) -> None:
            half = method.frame / fs / 2
            if found is not None:
                half = min(half, _PERIODS / 2 / found.frequency)
            middle = min(max(place[0], start / fs + half), stop / fs - half)
            self._stage.show_view(0)
            self._stage.waveform.set_limits(middle - half, middle + half)
            self._stage.frame_place.show_crests(found)

        self._jobs.submit("Finding the crests", work, done, self._notices.tell)
