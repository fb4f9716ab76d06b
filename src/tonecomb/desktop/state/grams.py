"""What changes in time, computed while the stage shows it: spectrograms, trends, run-ups."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from tonecomb.core.analysis import Analysis, run_spectrum
from tonecomb.core.estimate.combining import Average
from tonecomb.core.estimate.slices import Slices, Slicing, run_slices
from tonecomb.core.estimate.spectrogram import Spectrogram, View, run_spectrogram
from tonecomb.core.estimate.trend import Trend, run_trend
from tonecomb.core.find.peaks import PeakSearch
from tonecomb.core.method import Method
from tonecomb.core.progress import Progress, part
from tonecomb.core.record.recording import Channel, Recording, Samples
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.lazy import Lazy, Task
from tonecomb.desktop.state.store import Store

if TYPE_CHECKING:
    from tonecomb.core.find.run_up import RunUp

_SETTLE_MS = 60  # that a view is waited for while it is moved


@dataclass(frozen=True)
class _Source:
    """A recording as it is read now; the same samples at the same rate, with the same names and
    units, are the same."""

    id: str
    samples: Samples
    rate: float
    channels: tuple[Channel, ...]

    @classmethod
    def of(cls, recording: Recording) -> _Source:
        return cls(recording.id, recording.samples, recording.rate, recording.channels)


def _plain(method: Method) -> Method:
    """A method without what no frame by itself depends on."""
    return replace(
        method, search=PeakSearch(), fits=(), struck=(), leave_clipped=False, average="mean",
        at=None, scaling="amplitude", level="rms", shaft=None,
    )  # fmt: skip


class _Task:
    """A computation that is the same where its ``key`` is."""

    def __init__(self, key: object) -> None:
        self._key = key

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Task) and self._key == other._key

    __hash__ = None  # type: ignore[assignment]


class _GramTask(_Task):
    def __init__(self, method: Method, recording: Recording, view: View) -> None:
        self._method, self._recording, self._view = _plain(method.estimate()), recording, view
        super().__init__((_Source.of(recording), self._method, view))

    def __call__(self, progress: Progress) -> Spectrogram:
        return run_spectrogram(self._method, self._recording, self._view, progress)


class _TrendTask(_Task):
    def __init__(self, method: Method, recording: Recording) -> None:
        self._method, self._recording = _plain(method), recording
        super().__init__((_Source.of(recording), self._method))

    def __call__(self, progress: Progress) -> Trend:
        return run_trend(self._method, self._recording, self._method.tracks, progress)


class Grams(Lazy):
    """Delivers the :class:`Spectrogram` of the view that was wanted last."""

    def __init__(self, store: Store, jobs: Jobs) -> None:
        super().__init__(store, jobs, "Drawing the spectrogram", self._now, _SETTLE_MS)
        self._store = store
        self._view: View | None = None

    def want(self, view: View | None) -> None:
        """Have this view of whatever is analysed; nothing any more for None."""
        self._view = view
        self.follow()

    def _now(self) -> _GramTask | None:
        recording, method = self._store.current, self._store.method
        if recording is None or method is None or self._view is None:
            return None
        return _GramTask(method, recording, self._view)


class _SliceTask(_Task):
    def __init__(self, method: Method, recording: Recording, slicing: Slicing) -> None:
        self._method, self._recording = _plain(method.estimate()), recording
        self._slicing = slicing
        # Bands and totals are made here; bins are pooled for the screen as they are.
        self._drawn = None if method.display.drawn == "bins" else method
        shown = self._drawn and (method.scaling, method.level, method.display)
        super().__init__((_Source.of(recording), self._method, slicing, shown))

    def __call__(self, progress: Progress) -> Slices:
        slices = run_slices(self._method, self._recording, self._slicing, progress)
        if self._drawn is not None:
            slices.curves(self._drawn)
        return slices


class _RangeTask(_Task):
    def __init__(self, method: Method, recording: Recording) -> None:
        self._method, self._recording = _plain(method.estimate()), recording
        super().__init__((_Source.of(recording), self._method))

    def __call__(self, progress: Progress) -> tuple[Analysis, ...]:
        kinds: tuple[Average, ...] = ("max", "median", "min")
        return tuple(
            run_spectrum(
                replace(self._method, average=kind), self._recording,
                part(progress, i / len(kinds), (i + 1) / len(kinds)),
            )
            for i, kind in enumerate(kinds)
        )  # fmt: skip


class _Switched(Lazy):
    """What is computed while it is ``wanted``, by the ``task`` of a method and a recording."""

    title: str
    task: Callable[[Method, Recording], Task]

    def __init__(self, store: Store, jobs: Jobs) -> None:
        super().__init__(store, jobs, self.title, self._now, _SETTLE_MS)
        self._store, self.wanted = store, False

    def want(self, wanted: bool) -> None:
        """Whether somebody looks at it."""
        self.wanted = wanted
        self.follow()

    def _now(self) -> Task | None:
        recording, method = self._store.current, self._store.method
        if recording is None or method is None or not self.wanted or not self.possible(method):
            return None
        return type(self).task(method, recording)

    def possible(self, method: Method) -> bool:
        """Whether the method has what it needs."""
        return True


class Ranges(_Switched):
    """Delivers the highest, the median and the lowest spectrum of all frames."""

    title, task = "Ranging over the frames", _RangeTask


class SliceResults(Lazy):
    """Delivers the :class:`Slices` that were wanted last."""

    def __init__(self, store: Store, jobs: Jobs) -> None:
        super().__init__(store, jobs, "Cutting the slices", self._now, _SETTLE_MS)
        self._store = store
        self._slicing: Slicing | None = None

    def want(self, slicing: Slicing | None) -> None:
        """Have these slices of whatever is analysed; nothing any more for None."""
        self._slicing = slicing
        self.follow()

    def _now(self) -> _SliceTask | None:
        recording, method = self._store.current, self._store.method
        if recording is None or method is None or self._slicing is None:
            return None
        return _SliceTask(method, recording, self._slicing)


class _RunUpTask(_Task):
    def __init__(self, method: Method, recording: Recording) -> None:
        self._method = Method(
            channel=method.channel, stretch=method.stretch, detrend=method.detrend,
            window=method.window, level=method.level, shaft=method.shaft,
        )  # fmt: skip
        self._recording = recording
        super().__init__((_Source.of(recording), self._method))

    def __call__(self, progress: Progress) -> RunUp:
        from tonecomb.core.find.run_up import analyse_run_up  # brings SciPy's interpolation

        return analyse_run_up(self._method, self._recording, progress)


class RunUps(_Switched):
    """Delivers the :class:`RunUp` of the method's shaft."""

    title, task = "Turning with the shaft", _RunUpTask

    def possible(self, method: Method) -> bool:
        return method.shaft is not None


class Trends(_Switched):
    """Delivers the :class:`Trend` of the method's tracks and bands."""

    title, task = "Following the frames", _TrendTask
