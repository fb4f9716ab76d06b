"""Which results the document wants, where they come from, and when they arrive."""

from __future__ import annotations

import time
from collections import OrderedDict
from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.analysis import Analysis, run_peaks, run_spectrum
from tonecomb.core.errors import Cancelled, UserError
from tonecomb.core.find.peaks import PeakSearch
from tonecomb.core.method import Method, plan
from tonecomb.core.progress import Progress
from tonecomb.core.record import pyramid
from tonecomb.core.record.pyramid import Envelope, Pyramid
from tonecomb.core.record.recording import Channel, Recording, Samples
from tonecomb.desktop.state.jobs import Job, Jobs
from tonecomb.desktop.state.store import Store

_SETTLE_MS = 40  # that edits in a row are waited for
_ALONE_S = 0.25  # an edit so long after the last one is not waited after
_CACHE_BYTES = 256 << 20
EXACT_BELOW = 2_000_000  # samples in a view up to which the envelope is made from the samples
_OUTLINES_BELOW = 50_000_000  # samples × channels up to which every channel gets its outline


@dataclass(frozen=True)
class EnvelopeWanted:
    """A part of a channel, in samples, at a width in pixels."""

    recording_id: str
    channel: int
    start: int
    stop: int
    columns: int


@dataclass(frozen=True)
class Key:
    """What an analysis depends on."""

    recording_id: str
    rate: float
    channels: tuple[Channel, ...]
    method: Method

    def without_search(self) -> Key:
        """What its spectrum depends on: all but the search for peaks and resonances."""
        return replace(self, method=replace(self.method, search=PeakSearch(), fits=()))


class _Cache:
    """The analyses used last, up to a number of bytes."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Key, Analysis] = OrderedDict()

    def get(self, key: Key) -> Analysis | None:
        found = self._kept.get(key)
        if found is not None:
            self._kept.move_to_end(key)
        return found

    def forget(self, recording_id: str) -> None:
        for key in [key for key in self._kept if key.recording_id == recording_id]:
            del self._kept[key]

    def keep(self, key: Key, analysis: Analysis) -> None:
        self._kept[key] = analysis
        total = sum(kept.spectrum.mean_square.nbytes for kept in self._kept.values())
        while total > _CACHE_BYTES and len(self._kept) > 1:
            total -= self._kept.popitem(last=False)[1].spectrum.mean_square.nbytes


class Results(QObject):
    """Watches the store and delivers analyses and envelopes on the interface thread.

    ``analysis_changed`` carries an :class:`Analysis` (first without peaks, then with them) or
    None when there is nothing to show; ``failed`` the :class:`UserError` of a method that
    cannot be run; ``pyramid_ready`` (recording id, channel); ``envelope_ready`` the wanted part
    and its exact envelope. ``waiting`` tells that what is shown is no longer what is wanted.
    """

    analysis_changed = pyqtSignal(object)
    waiting = pyqtSignal(bool)
    failed = pyqtSignal(object)
    pyramid_ready = pyqtSignal(str, int)
    envelope_ready = pyqtSignal(object, object)

    def __init__(self, store: Store, jobs: Jobs) -> None:
        super().__init__(store)
        self._store, self._jobs = store, jobs
        self._spectra = _Cache()
        self._found = _Cache()
        self._pyramids: dict[tuple[str, int], Pyramid] = {}
        self._building: set[tuple[str, int]] = set()
        self._samples: dict[str, Samples] = {}
        self._job: tuple[Key, Job] | None = None
        self._envelope_jobs: dict[tuple[str, int], Job] = {}
        self.analysis: Analysis | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._edited = 0.0
        self._timer.timeout.connect(self._update)
        store.changed.connect(self._soon)
        store.reopened.connect(self._forget)

    def _soon(self) -> None:
        """Follow an edit at once, or the last one of several in a row."""
        now = time.monotonic()
        self._timer.start(_SETTLE_MS if now - self._edited < _ALONE_S else 0)
        self._edited = now

    def _forget(self, recording_id: str) -> None:
        """Drop what was computed from a file that may hold other samples now."""
        self._forget_job(None)
        self._spectra.forget(recording_id)
        self._found.forget(recording_id)
        self._pyramids = {k: p for k, p in self._pyramids.items() if k[0] != recording_id}
        self._timer.start(0)

    @property
    def busy(self) -> bool:
        """Whether an analysis is awaited."""
        return self._timer.isActive() or self._job is not None

    def _notice_changes(self) -> None:
        """Drop what was computed from samples that are read in another way now."""
        for ref in self._store.document.recordings:
            recording = self._store.recording(ref.id)
            if recording is None:
                continue
            known = self._samples.setdefault(ref.id, recording.samples)
            if known is not recording.samples:
                self._samples[ref.id] = recording.samples
                self._forget(ref.id)

    def _update(self) -> None:
        self._notice_changes()
        recording, method = self._store.current, self._store.method
        if recording is None or method is None:
            self._forget_job(None)
            self._show(None)
            self._tell_unknown_rate()
            return
        self._want_pyramids(recording, method.channel)
        try:
            plan(method, recording)
        except UserError as error:
            self._forget_job(None)
            self._show(None)
            self.failed.emit(error)
            return
        key = Key(recording.id, recording.rate, recording.channels, method.estimate())
        self._forget_job(key)
        found, bare = self._found.get(key), self._spectra.get(key.without_search())
        if found is not None:
            self._show(found)
        elif self._job is not None:
            return
        elif bare is not None:
            self._find_peaks(key, replace(bare, method=key.method), recording)
        else:
            self._estimate(key, recording)

    def _tell_unknown_rate(self) -> None:
        recording = self._store.recording(self._store.document.current)
        if recording is not None and recording.sample_rate is None:
            self.failed.emit(
                UserError(
                    f"The sample rate of {recording.name} is unknown",
                    recording.rate_found,
                    "right-click it on the shelf to set it",
                )
            )

    def _forget_job(self, key: Key | None) -> None:
        """Stop the running job unless it is the one for ``key``."""
        if self._job is not None and self._job[0] != key:
            self._job[1].cancel()
            self._job = None

    def _estimate(self, key: Key, recording: Recording) -> None:
        def work(progress: Progress) -> Analysis:
            return run_spectrum(key.method, recording, progress)

        self.waiting.emit(True)

        def done(analysis: Analysis) -> None:
            self._spectra.keep(key.without_search(), analysis)
            self._find_peaks(key, analysis, recording)

        self._job = (key, self._jobs.submit("Averaging the spectrum", work, done, self._fail))

    def _find_peaks(self, key: Key, estimate: Analysis, recording: Recording) -> None:
        def work(progress: Progress) -> Analysis:
            return run_peaks(estimate, recording, progress)

        def done(analysis: Analysis) -> None:
            self._job = None
            self._found.keep(key, analysis)
            self._show(analysis)

        self._job = (key, self._jobs.submit("Refining the peaks", work, done, self._fail))
        self._show(estimate)

    def _fail(self, error: Exception) -> None:
        self._job = None
        self._show(None)
        if isinstance(error, Cancelled):
            error = UserError(
                "The analysis was stopped", remedy="change a phrase or press F5 to run it again"
            )
        self.failed.emit(error)

    def again(self) -> None:
        """Run the current analysis again after it was stopped or failed."""
        self._timer.start(0)

    def _show(self, analysis: Analysis | None) -> None:
        recording, method = self._store.current, self._store.method
        if analysis is not None and recording is not None and method is not None:
            analysis = analysis.with_display(method, recording)
        self.analysis = analysis
        self.waiting.emit(False)
        self.analysis_changed.emit(analysis)

    def _want_pyramids(self, current: Recording, channel: int) -> None:
        """The current channel's first, then the outlines of everything that is not too long."""
        self._build_pyramid(current, channel)
        shown = self._store.ref
        for other in shown.beside if shown is not None else ():
            self._build_pyramid(current, other)
        for ref in self._store.document.recordings:
            recording = self._store.recording(ref.id)
            if recording is None or recording.length * len(recording.channels) > _OUTLINES_BELOW:
                continue
            for wanted in range(len(recording.channels)):
                self._build_pyramid(recording, wanted)

    def _build_pyramid(self, recording: Recording, channel: int) -> None:
        key = (recording.id, channel)
        if key in self._pyramids or key in self._building:
            return
        if not 0 <= channel < len(recording.channels):
            return
        self._building.add(key)

        def work(progress: Progress) -> Pyramid:
            return pyramid.build(
                lambda start, stop: recording.samples.read(channel, start, stop),
                recording.length,
                progress,
            )

        def done(built: Pyramid) -> None:
            self._building.discard(key)
            now = self._store.recording(recording.id)
            if now is None or now.samples is not recording.samples:
                self._timer.start(0)  # the file was opened anew meanwhile
                return
            self._pyramids[key] = built
            self.pyramid_ready.emit(*key)

        def failed(error: Exception) -> None:
            self._building.discard(key)
            if isinstance(error, UserError):
                self.failed.emit(error)

        self._jobs.submit("Drawing the waveform", work, done, failed, background=True)

    def pyramid(self, recording_id: str, channel: int) -> Pyramid | None:
        """The channel's pyramid, if it is built."""
        return self._pyramids.get((recording_id, channel))

    def envelope(self, wanted: EnvelopeWanted) -> Envelope | None:
        """An envelope for drawing now; the exact one follows by signal where it is affordable."""
        built = self.pyramid(wanted.recording_id, wanted.channel)
        recording = self._store.recording(wanted.recording_id)
        if built is None or recording is None:
            return None
        if wanted.stop - wanted.start <= EXACT_BELOW:
            self._want_exact(wanted, recording)
        return built.envelope(wanted.start, wanted.stop, wanted.columns)

    def outline(self, wanted: EnvelopeWanted) -> Envelope | None:
        """An envelope as the pyramid has it, None while there is none."""
        built = self.pyramid(wanted.recording_id, wanted.channel)
        if built is None:
            return None
        return built.envelope(wanted.start, wanted.stop, wanted.columns)

    def _want_exact(self, wanted: EnvelopeWanted, recording: Recording) -> None:
        key = (wanted.recording_id, wanted.channel)
        if (before := self._envelope_jobs.pop(key, None)) is not None:
            before.cancel()
        start, stop = max(0, wanted.start), min(recording.length, wanted.stop)

        def work(progress: Progress) -> Envelope:
            samples = recording.samples.read(wanted.channel, start, stop)
            return pyramid.envelope_of(samples, start, wanted.columns)

        def done(envelope: Envelope) -> None:
            self._envelope_jobs.pop(key, None)
            self.envelope_ready.emit(wanted, envelope)

        def failed(error: Exception) -> None:
            self._envelope_jobs.pop(key, None)
            if isinstance(error, UserError):
                self.failed.emit(error)

        self._envelope_jobs[key] = self._jobs.submit("Drawing", work, done, failed)
