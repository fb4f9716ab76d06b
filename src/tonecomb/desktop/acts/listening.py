"""Listening to the stretch as it is analysed."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.method.method import Method
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.before_after import taken_by, without_taking
from tonecomb.core.results.sound import Heard, Sound, Way, equally_loud
from tonecomb.core.steps.filters import BandPass
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.stage.stage import Stage
from tonecomb.desktop.state.jobs import Job
from tonecomb.desktop.state.speaker import Speaker, preferred_rate

_NAMES = ("after", "before")
_EDGE = 0.995  # of the Nyquist frequency, up to which there is something to filter


class Listening(QObject):
    """Plays what the document says is analysed. What is heard is made in a worker, and runs in the
    sound device's thread; a cursor goes through every view with it."""

    def __init__(self, context: Context, stage: Stage) -> None:
        super().__init__(context.window)
        self._context, self._store, self._stage = context, context.store, stage
        self._bar = stage.listen_bar
        self.speaker = Speaker(self)
        self.heard: Heard | None = None
        self._job: Job | None = None
        self._first, self._narrow = 0, False
        self._key: object = None
        self._bar.asked.connect(lambda: self.toggle())
        self._bar.swapped.connect(self.swap)
        self._bar.changed.connect(self._again)
        self._bar.closed.connect(self.close)
        self.speaker.moved.connect(self._moved)
        self.speaker.ended.connect(self.stop)
        context.store.changed.connect(self._follow)

    @property
    def playing(self) -> bool:
        """Whether something is heard, or about to be."""
        return self.speaker.playing or self._job is not None

    def toggle(self, narrow: bool = False) -> None:
        """Listen, with ``narrow`` to the visible frequencies only; or stop."""
        if self.playing:
            self.stop()
        else:
            self._narrow = narrow
            self._start()

    def close(self) -> None:
        """Stop, and take the bar away."""
        self.stop()
        self._bar.hide()

    def stop(self) -> None:
        """Be silent."""
        if self._job is not None:
            self._job.cancel()
            self._job = None
        self.speaker.stop()
        self._stage.point_at(None)
        self._show()

    def swap(self) -> None:
        """Hear the other of before and after, equally loud, without a jump."""
        if self.heard is not None and len(self.heard.sounds) > 1:
            self.heard.switch(1 - self.heard.number)
            self._show()

    def _follow(self) -> None:
        """What is analysed may be something else now."""
        signal, method = self._store.current, self._store.method
        if self.playing and (signal, method and method.source) != self._key:
            self._again()

    def _again(self) -> None:
        if self.playing:
            at = self.heard.at if self.heard is not None and self.speaker.playing else 0
            time = self.heard.sounds[0].time(at) if self.heard is not None else None
            self.stop()
            self._start(time)

    def _start(self, time: float | None = None) -> None:
        signal, method = self._store.current, self._store.method
        if signal is None or method is None:
            return
        self._bar.offer([one.name for one in signal.channels], method.source.channel)
        self._bar.show()
        way, other = self._bar.way, self._bar.other
        limits = self._stage.spectrum.limits() if self._narrow else None
        try:
            rate = preferred_rate()
            sounds = wanted_sounds(signal, method, way, rate, other, limits)
        except UserError as error:
            self._context.notices.tell(error)
            return
        self._key = (signal, method.source)

        def work(progress: Progress) -> tuple[Sound, ...]:
            return equally_loud(*sounds, progress=progress)

        def failed(error: Exception) -> None:
            self._job = None
            self._show()
            if isinstance(error, UserError):
                self._context.notices.tell(error)

        def ready(made: tuple[Sound, ...]) -> None:
            self._job = None
            first = made[0].frame(time) if time is not None else 0
            self.heard = Heard(made, first=first, loop=self._bar.loop.isChecked())
            self._first = first
            self.speaker.play(self.heard)
            self._show()

        self._job = self._context.jobs.submit("Getting ready to listen", work, ready, failed)
        self._show()

    def _moved(self, frames: int) -> None:
        heard = self.heard
        if heard is None or not self.speaker.playing:
            return
        sound = heard.sounds[0]
        time = sound.time((self._first + frames) % sound.frames)
        self._stage.point_at(time)
        start, end = sound.time(0), sound.time(sound.frames)
        self._bar.told.setText(f"{self._words(sound.way)}{time:.1f} s of {start:.1f}–{end:.1f} s")

    def _words(self, way: Way) -> str:
        """What is heard, where that is not what was measured."""
        analysis = self._context.results.analysis
        peaks = (analysis.peaks or ()) if analysis is not None else ()
        if way == Way() or not peaks:
            return ""
        strongest = max(peaks, key=lambda peak: peak.tone.amplitude).tone.frequency
        return f"{strongest:.4g} Hz sounds as {way.sounds_as(strongest):.4g} Hz · "

    def _show(self) -> None:
        heard = self.heard
        several = heard is not None and len(heard.sounds) > 1 and self.playing
        name = _NAMES[heard.number] if several and heard is not None else ""
        self._bar.show_state(self.playing, name)
        if not self.playing:
            self._bar.told.setText("")


def wanted_sounds(
    signal: Signal,
    method: Method,
    way: Way,
    rate: int,
    other: int | None,
    limits: tuple[float, float] | None,
) -> tuple[Sound, ...]:
    """The stretch after all steps, and before those that take something out where there are any;
    within ``limits`` (Hz) where that is all that is wanted. Raises :class:`UserError` for what
    cannot be heard."""
    way.check()
    source = method.source
    first, stop = source.span(signal)
    channels = (source.channel,) if other is None else (source.channel, other)
    chains = [source.steps]
    if taken_by(source.steps):
        chains.append(without_taking(source.steps))
    extra = _within(limits, signal.rate)
    signals = (prepare(signal.recording, (*steps, *extra)) for steps in chains)
    return tuple(Sound(one, channels, first, stop, rate, way) for one in signals)


def _within(limits: tuple[float, float] | None, fs: float) -> tuple[Step, ...]:
    """The filter that leaves these frequencies."""
    if limits is None:
        return ()
    low, high = max(limits[0], 1e-3), min(limits[1], _EDGE * fs / 2)
    return (replace(BandPass(low, high), order=6),) if low < high else ()
