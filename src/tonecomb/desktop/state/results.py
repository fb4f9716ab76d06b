"""The analysis that the document asks for: its spectrum first, then what is found in it."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import Follow, Method, plan
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.estimate import Estimate, run_spectrum
from tonecomb.core.results.findings import Findings
from tonecomb.core.results.search import followed_spectrum, run_findings
from tonecomb.core.results.true_peak import true_peaks
from tonecomb.desktop.state.scheduler import QUICK_PLAIN, QUICK_SAMPLES, Scheduler, Slot, Want
from tonecomb.desktop.state.store import Store

_REMEMBERED = 8  # wants whose signal and method are known
_LONG = 1 << 24  # samples
_FIND_MS = 500  # between two looks for peaks while a handle is held


def spectrum_want(signal: Signal, method: Method, title: str = "", **options: bool) -> Want:
    """The estimate of a method, the same for whoever wants it."""
    parts, recording = method.estimate(), signal.recording
    # Of a long record the peaks come sooner so, and those of another search at once.
    run = followed_spectrum if signal.length >= _LONG else run_spectrum
    return Want(
        ("spectrum", signal.key, parts),
        title or "Averaging the spectrum",
        lambda progress: run(parts, recording, progress),
        quick=signal.length <= (QUICK_SAMPLES if signal.samples.costly else QUICK_PLAIN),
        **options,
    )


class Results(QObject):
    """Watches the store. ``analysis_changed`` carries an :class:`Analysis` (first without what is
    found, then with it) or None when there is nothing to show; ``failed`` the :class:`UserError` of
    a method that cannot be run; ``waiting`` whether what is shown is no longer what is wanted."""

    analysis_changed = pyqtSignal(object)
    waiting = pyqtSignal(bool)
    failed = pyqtSignal(object)

    def __init__(self, store: Store, scheduler: Scheduler) -> None:
        super().__init__(store)
        self._store = store
        self.analysis: Analysis | None = None
        self._told: tuple[object, ...] = ()
        self._asked: dict[Hashable, tuple[Signal, Method]] = {}
        self._scheduler = scheduler
        self._later = QTimer(self)
        self._last: Findings | None = None
        self._last_kind: object = None
        self._later.setSingleShot(True)
        self._estimate = Slot(scheduler, self._wanted)
        self._found = Slot(scheduler, self._wanted_findings)
        self._extremes = Slot(scheduler, self._wanted_extremes, lazy=True)
        self._estimate.looked.connect(self._follow)
        self._estimate.changed.connect(self._follow)
        self._estimate.waiting.connect(self.waiting)
        self._found.changed.connect(self._arrived)
        self._extremes.changed.connect(self._show)
        self._later.timeout.connect(self._found.follow_now)
        for slot in (self._estimate, self._found):
            slot.failed.connect(self.failed)
        self.read_by: Callable[[Signal, Method], Method] = lambda _, method: method
        """How the document's method is applied to what is read."""
        store.changed.connect(self._estimate.follow)
        store.grew.connect(self._estimate.follow)
        store.reopened.connect(lambda _: self._estimate.follow())

    def tell_again(self) -> None:
        """Say anew what there is, for whoever did not follow while a handle was held."""
        self._told = ()
        self._later.stop()
        self._follow()

    def again(self) -> None:
        """Run the current analysis again after it was stopped or failed."""
        self._estimate.again()

    def _now(self) -> tuple[Signal, Method] | None:
        signal, method = self._store.current, self._store.method
        if signal is None or method is None:
            return None
        return signal, self.read_by(signal, method)

    def of_now(self) -> Analysis | None:
        """The analysis with its peaks, where it is of the recording and method that there are now:
        what is shown may still be of another recording by the same method."""
        now, of, analysis = self._now(), self._estimate.shown_want, self.analysis
        if now is None or of is None or analysis is None or analysis.peaks is None:
            return None
        current = of.key == spectrum_want(*now).key and analysis.method == now[1]
        return analysis if current else None

    @property
    def busy(self) -> bool:
        """Whether a spectrum, or what is found in it, is awaited."""
        return self._estimate.busy or self._found.busy or self._extremes.busy

    def follow(self) -> None:
        """What is to be read may have changed."""
        self._estimate.follow_now()

    def _wanted(self) -> Want | None:
        now = self._now()
        if now is None:
            self._tell_unknown_rate()
            return None
        signal, method = now
        try:
            plan(method, signal.recording)
        except UserError as error:
            self.failed.emit(error)
            return None
        want = spectrum_want(signal, method)
        self._asked[want.key] = now
        while len(self._asked) > _REMEMBERED:
            self._asked.pop(next(iter(self._asked)))
        return want

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

    def _wanted_findings(self) -> Want | None:
        now, estimate, of = self._now(), self._estimate.shown, self._estimate.shown_want
        if now is None or estimate is None or of is None:
            return None
        # What is shown may be of an edit ago: it is looked through as it was made.
        signal, method = self._asked.get(of.key, now)
        parts, recording = method.having(search=now[1].search).findings(), signal.recording
        # The last is what makes one picture of a live signal like another.
        key: Hashable = ("found", signal.key, (signal.id, signal.rate, parts))
        return Want(
            key,
            "Refining the peaks",
            lambda progress: run_findings(estimate, parts, recording, progress),
        )

    def _wanted_extremes(self) -> Want | None:
        """The levels that are read from samples, where there are any."""
        now = self._now()
        if now is None or self._estimate.shown is None:
            return None
        signal, method = now
        rows = tuple(one for one in method.levels if one.detector != "rms")
        if not rows:
            return None
        parts = Method(method.source, method.frames, follow=Follow(bands=rows))
        recording = signal.recording
        return Want(
            ("extremes", signal.key, method.source, method.frames.detrend, rows),
            "Looking for the levels' peaks",
            lambda progress: true_peaks(parts, recording, progress),
            background=True,
        )

    def _follow(self, _: object = None) -> None:
        """The estimate is there, or how it is shown may have changed."""
        if self._estimate.ticket is not None:
            return
        want = self._wanted_findings()
        if want is None or want == self._found.wanted or self._scheduler.keeps(want):
            self._found.follow_now()
        elif not self._later.isActive():  # the curve goes first
            self._later.start(_FIND_MS if self._scheduler.lively else 0)
        self._extremes.follow_now()
        self._show()

    def _arrived(self, found: Findings | None) -> None:
        self._last, self._last_kind = found, _kind(self._found.shown_want)
        self._show()

    def _show(self, _: object = None) -> None:
        now = self._now()
        estimate: Estimate | None = self._estimate.shown
        findings: Findings | None = None
        wanted = self._wanted_findings()
        if self._found.ticket is None and self._found.wanted == wanted:
            findings = self._found.shown
        elif self._scheduler.lively and _kind(wanted) == self._last_kind:
            findings = self._last  # what is there is of another curve of the same kind
        if self._estimate.ticket is not None:
            return
        known = self._extremes.wanted == self._wanted_extremes() and self._extremes.ticket is None
        extremes = (self._extremes.shown or ()) if known else ()
        told = (estimate, findings, extremes, now and now[1], now and now[0].key)
        if told == self._told:
            return
        self._told = told
        self.analysis = None
        if now is not None and estimate is not None:
            self.analysis = Analysis.of(estimate, findings, now[1], now[0].recording, extremes)
        self.analysis_changed.emit(self.analysis)


def _kind(of: Want | None) -> object:
    """Of findings that are wanted: alike in those of one picture of a live signal and the next."""
    return of.key[-1] if of is not None and isinstance(of.key, tuple) else None
