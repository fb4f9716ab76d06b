"""Waveforms for drawing: pyramids of whole channels, and the exact envelope of what is in view."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.record import pyramid
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.pyramid import Pyramid, WaveformEnvelope
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.state.scheduler import QUICK_PLAIN, QUICK_SAMPLES, Scheduler, Slot, Want
from tonecomb.desktop.state.store import Store

EXACT_BELOW = 2_000_000  # samples in a view up to which the envelope is made from the samples
OUTLINE = 40  # columns of a channel's outline on the shelf
ROOM = 32 << 20  # bytes of pyramids, beyond which only what is looked at has one
_OUTLINES_BELOW = 50_000_000  # samples × channels up to which every channel gets its outline


@dataclass(frozen=True)
class EnvelopeWanted:
    """A part of a channel, in samples, at a width in pixels."""

    recording_id: str
    channel: int
    start: int
    stop: int
    columns: int


class Envelopes(QObject):
    """Watches the store. ``pyramid_ready`` and ``clipping_ready`` carry recording id and channel;
    ``envelope_ready`` the wanted part and its exact envelope; ``failed`` a :class:`UserError`."""

    pyramid_ready = pyqtSignal(str, int)
    clipping_ready = pyqtSignal(str, int)
    envelope_ready = pyqtSignal(object, object)
    failed = pyqtSignal(object)

    def __init__(self, store: Store, scheduler: Scheduler) -> None:
        super().__init__(store)
        self._store, self._scheduler = store, scheduler
        self._built: OrderedDict[tuple[Hashable, int], Pyramid] = OrderedDict()
        self._outlines: dict[tuple[Hashable, int], tuple[WaveformEnvelope, int]] = {}
        self._clipped: dict[tuple[Hashable, int], tuple[tuple[int, int], ...]] = {}
        self._building: set[tuple[Hashable, int]] = set()
        self._exact: dict[tuple[str, int], Slot] = {}
        self._wanted: dict[tuple[str, int], EnvelopeWanted] = {}
        self._follower = Slot(scheduler, lambda: None, lazy=True)
        self._follower.looked.connect(self._follow)
        store.changed.connect(self._follower.follow)
        store.reopened.connect(lambda _: self._follower.follow())

    def _follow(self) -> None:
        """Pyramids of what is shown, then the outlines of everything that is not too long; what is
        of other samples than those of the shelf goes."""
        refs = self._store.document.recordings
        signals = [s for ref in refs if (s := self._store.signal(ref.id)) is not None]
        keys = {signal.key for signal in signals}
        every_kept: tuple[dict[tuple[Hashable, int], Any], ...] = (
            self._built,
            self._outlines,
            self._clipped,
        )
        for kept in every_kept:
            for key in [key for key in kept if key[0] not in keys]:
                del kept[key]
        for place in [place for place in self._exact if place[0] != self._store.document.current]:
            self._wanted.pop(place)
            slot = self._exact.pop(place)
            slot.want(None)
            slot.deleteLater()
        current, method, ref = self._store.current, self._store.method, self._store.ref
        if current is not None and method is not None and ref is not None:
            first = [method.source.channel, *ref.beside]
            if current.samples.together:
                self._build(current, range(len(current.channels)))
            else:
                for channel in first:
                    self._build(current, (channel,))
        for signal in signals:
            if signal.length * len(signal.channels) > _OUTLINES_BELOW:
                continue
            every = range(len(signal.channels))
            # What lies together is read once for all.
            for channels in [every] if signal.samples.together else [(i,) for i in every]:
                if any((signal.key, i) not in self._outlines for i in channels):
                    self._build(signal, channels)

    def _build(self, signal: Signal, channels: range | tuple[int, ...]) -> None:
        lacking = [
            i
            for i in channels
            if 0 <= i < len(signal.channels)
            and (signal.key, i) not in self._built
            and (signal.key, i) not in self._building
            and signal.samples.outline(i) is None
        ]
        if not lacking:
            return
        self._building |= {(signal.key, i) for i in lacking}

        def work(progress: Progress) -> tuple[Pyramid, ...]:
            return pyramid.build_many(signal.samples, lacking, signal.length, progress)

        def done(built: tuple[Pyramid, ...]) -> None:
            for channel, one in zip(lacking, built, strict=True):
                self._building.discard((signal.key, channel))
                self._built[signal.key, channel] = one
                self._outlines[signal.key, channel] = (
                    one.envelope(0, one.length, OUTLINE),
                    one.length,
                )
                now = self._store.signal(signal.id)
                if now is not None and now.key == signal.key:
                    self._look_for_clipping(signal, channel, one)
                    self.pyramid_ready.emit(signal.id, channel)
            self.make_room(ROOM)

        def failed(error: Exception) -> None:
            self._building -= {(signal.key, i) for i in lacking}
            if isinstance(error, UserError):
                self.failed.emit(error)

        key = ("pyramid", signal.key, tuple(lacking))
        self._scheduler.have(Want(key, "Drawing the waveform", work, background=True), done, failed)

    @property
    def held(self) -> int:
        """Bytes of all pyramids."""
        return sum(one.nbytes for one in self._built.values())

    def make_room(self, room: int) -> None:
        """Let go of the pyramids that nobody asked for longest, until ``room`` bytes are held;
        those of the current recording stay."""
        current, held = self._store.current, self.held
        for key in list(self._built):
            if held <= room:
                return
            if current is None or key[0] != current.key:
                held -= self._built.pop(key).nbytes

    def small(self, recording_id: str, channel: int) -> tuple[WaveformEnvelope, int] | None:
        """The outline of a channel in :data:`OUTLINE` columns and how many samples it is of, if it
        was made."""
        signal = self._store.signal(recording_id)
        if signal is None or not 0 <= channel < len(signal.channels):
            return None
        if (live := signal.samples.outline(channel)) is not None:
            return live.envelope(0, live.length, OUTLINE), live.length
        return self._outlines.get((signal.key, channel))

    def pyramid(self, recording_id: str, channel: int) -> Pyramid | None:
        """The channel's pyramid, if it is built."""
        signal = self._store.signal(recording_id)
        if signal is None or not 0 <= channel < len(signal.channels):
            return None
        if (signal.key, channel) in self._built:
            self._built.move_to_end((signal.key, channel))
        return signal.samples.outline(channel) or self._built.get((signal.key, channel))

    def envelope(self, wanted: EnvelopeWanted) -> WaveformEnvelope | None:
        """An envelope for drawing now; the exact one where it is known, or else it follows by
        signal where it is affordable."""
        signal = self._store.signal(wanted.recording_id)
        if signal is not None and wanted.stop - wanted.start <= EXACT_BELOW:
            self._want_exact(wanted, signal)
            slot = self._exact[wanted.recording_id, wanted.channel]
            if isinstance(slot.shown, WaveformEnvelope) and not slot.busy:
                return slot.shown
        return self.outline(wanted)

    def outline(self, wanted: EnvelopeWanted) -> WaveformEnvelope | None:
        """An envelope as the pyramid has it, None while there is none."""
        built = self.pyramid(wanted.recording_id, wanted.channel)
        return None if built is None else built.envelope(wanted.start, wanted.stop, wanted.columns)

    def _want_exact(self, wanted: EnvelopeWanted, signal: Signal) -> None:
        place = (wanted.recording_id, wanted.channel)
        slot = self._exact.get(place)
        if slot is None:
            slot = self._exact[place] = Slot(self._scheduler, lambda: None)
            slot.changed.connect(lambda found: self._tell_exact(place, found))
            slot.failed.connect(self._tell_failure)
        start, stop = max(0, wanted.start), min(signal.length, wanted.stop)

        def work(progress: Progress) -> WaveformEnvelope:
            samples = signal.samples.read(wanted.channel, start, stop)
            return pyramid.envelope_of(samples, start, wanted.columns)

        self._wanted[place] = wanted
        quick = stop - start <= (QUICK_SAMPLES if signal.samples.costly else QUICK_PLAIN)
        slot.want(Want(("envelope", signal.key, wanted), "Drawing", work, quick=quick))

    def _tell_exact(self, place: tuple[str, int], envelope: WaveformEnvelope | None) -> None:
        if envelope is not None:
            self.envelope_ready.emit(self._wanted[place], envelope)

    def _tell_failure(self, error: UserError) -> None:
        self.failed.emit(error)

    # Clipping

    def _look_for_clipping(self, signal: Signal, channel: int, built: Pyramid) -> None:
        def work(progress: Progress) -> tuple[tuple[int, int], ...]:
            return clipped(lambda a, b: signal.samples.read(channel, a, b), built)

        def done(runs: tuple[tuple[int, int], ...]) -> None:
            self._clipped[signal.key, channel] = runs
            self.clipping_ready.emit(signal.id, channel)

        want = Want(("clipping", signal.key, channel), "Looking for clipping", work, True)
        self._scheduler.have(want, done, lambda error: None)

    def clipping(self, signal: Signal, channel: int) -> tuple[tuple[int, int], ...]:
        """Runs at the limits, in samples; none while they are not found yet."""
        return self._clipped.get((signal.key, channel), ())
