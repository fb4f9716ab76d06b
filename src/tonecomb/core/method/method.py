"""The method: one immutable description of an analysis, from samples to what is followed.

Its parts say what depends on what: a result is kept under the parts that it hangs on, whole, and
nowhere stands a list of the settings that matter.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.finite import not_finite
from tonecomb.core.base.units import SYSTEMS, System, conversion, unit
from tonecomb.core.estimate.averages import Average, Mean, Single
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.framing import Framing, effective_averages
from tonecomb.core.estimate.level import Detrend
from tonecomb.core.estimate.profile import Profile
from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS, Level, Scaling
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.method.searches import Fit, PeakSearch
from tonecomb.core.record.parallel import StretchRead
from tonecomb.core.record.recording import Channel, Recording, Stretch, whole
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import Window, window
from tonecomb.core.steps.motion import Motion
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step

MAX_PAD = 16  # times the frame
_WANTED_FRAMES = 24  # half overlapping: a level scatters by 1.1 dB then
_LONGEST_DEFAULT = 1 << 16  # samples of a frame
_FROM, _SLOW_FROM, _TO = 10.0, 2.0, 1000.0  # Hz, of vibration that machines are judged by
LEVELS: tuple[Level, ...] = tuple(LEVEL_FACTORS)
Bands = tuple[Band, ...]


@dataclass(frozen=True)
class Source:
    """Whose samples are analysed: a ``channel`` (from 0) of the recording after ``steps``, over a
    ``stretch`` of it, all for None. ``reference`` is the channel that others are held against. The
    spectrum is that of the channel and of the ``axes`` beside it, their mean squares added."""

    channel: int = 0
    stretch: Stretch | None = None
    steps: tuple[Step, ...] = ()
    reference: int | None = None
    axes: tuple[int, ...] = ()

    def span(self, signal: Signal, others: Sequence[int] = ()) -> tuple[int, int]:
        """First sample of the stretch and the one after its last, without what filters' settling
        spoils at the record's ends of the channel, the reference and ``others``. Raises
        :class:`UserError` where nothing is left."""
        start, stop = (self.stretch or whole(signal)).indices(signal)
        own = self.channel if self.reference is None else self.reference
        settled, end = signal.settled((self.channel, own, *self.axes, *others))
        first, last = max(start, settled), min(stop, end)
        if first >= last:
            raise UserError(
                "The stretch lies where a filter has not settled",
                f"it spoils {settled / signal.rate:.3g} s at the record's start and "
                f"{(signal.length - end) / signal.rate:.3g} s at its end",
                "choose a stretch between them, or a wider filter",
            )
        return first, last


AUTO = 0
"""A frame as long as suits the stretch: :func:`default_frame`."""


@dataclass(frozen=True)
class Frames:
    """How the stretch is cut and each frame transformed: ``frame`` in samples, :data:`AUTO` for
    what suits the stretch, ``overlap`` in percent of it, ``pad`` the factor by which zeros lengthen
    the transform."""

    detrend: Detrend = "mean"
    window: str = "hann"
    frame: int = AUTO
    overlap: float = 50.0
    pad: int = 1


@dataclass(frozen=True)
class Averaging:
    """How frames become one spectrum. Those that touch one of the ``struck`` stretches are left
    out, and with ``leave_clipped`` those that clip."""

    average: Average = field(default_factory=Mean)
    struck: tuple[Stretch, ...] = ()
    leave_clipped: bool = False

    @property
    def left_out(self) -> tuple[Stretch, ...]:
        """Stretches whose frames do not take part."""
        return self.struck if self.average.cut else ()


@dataclass(frozen=True)
class Shown:
    """As what an estimate is shown."""

    scaling: Scaling = "amplitude"
    level: Level = "rms"
    display: Display = field(default_factory=Display)


@dataclass(frozen=True)
class Search:
    """What is looked for in a spectrum: ``peaks``, and resonances in ``fits``, which are ranges
    chosen by hand."""

    peaks: PeakSearch = field(default_factory=PeakSearch)
    fits: tuple[Fit, ...] = ()


@dataclass(frozen=True)
class Follow:
    """What is followed from frame to frame: ``tracks`` of tones and combs, levels of ``bands``
    (which are read off the spectrum, too), None for :func:`default_levels`. ``profile`` is the test
    spectrum that the spectrum is held against."""

    tracks: tuple[Wanted, ...] = ()
    bands: tuple[Band, ...] | None = None
    profile: Profile | None = None


@dataclass(frozen=True)
class Method:
    """Everything that decides what is computed and how it is shown. By the angle of a ``shaft``
    a run-up is analysed; ``between`` asks for a transfer function."""

    source: Source = field(default_factory=Source)
    frames: Frames = field(default_factory=Frames)
    averaging: Averaging = field(default_factory=Averaging)
    shown: Shown = field(default_factory=Shown)
    search: Search = field(default_factory=Search)
    follow: Follow = field(default_factory=Follow)
    shaft: Shaft | None = None
    between: FrfSettings | None = None

    @classmethod
    def of(cls, **settings: Any) -> Method:
        """A method with these settings, each by its own name, whatever part it belongs to."""
        return cls().having(**settings)

    def having(self, **settings: Any) -> Method:
        """The same with these settings changed. A setting is a field of a part, or a part."""
        if "channel" in settings:  # axes are those of one channel
            settings = {"axes": ()} | settings
        parts: dict[str, Any] = {name: settings.pop(name) for name in _PARTS if name in settings}
        for name, part in parts.items():
            if name not in OPTIONAL and not isinstance(part, type(getattr(self, name))):
                raise TypeError(f"{part!r} is not the part {name} of a method")
        for name, value in settings.items():
            home = _HOMES[name]
            parts[home] = replace(parts.get(home, getattr(self, home)), **{name: value})
        return replace(self, **parts)

    @property
    def levels(self) -> Bands:
        """The levels that are read; none where that is still left to the recording."""
        return self.follow.bands or ()

    def resolved(self, recording: Recording, shaft: float | None = None) -> Method:
        """The same with a frame in samples and with levels, where they are left to the recording:
        the one rule by which bench, command line, batch and Python choose them. Raises
        :class:`UserError` where the steps or the stretch do not fit."""
        return self.levelled(recording, shaft).framed(recording)

    def levelled(self, recording: Recording, shaft: float | None = None) -> Method:
        """The same with levels, of a machine whose ``shaft`` turns at so many Hz."""
        if self.follow.bands is not None:
            return self
        signal = prepare(recording, self.source.steps)
        own = signal.channels[self.source.channel : self.source.channel + 1]
        return self.having(bands=default_levels(own, signal.rate, shaft))

    def framed(self, recording: Recording) -> Method:
        """The same with a frame in samples."""
        if self.frames.frame != AUTO:
            return self
        start, stop = self.source.span(prepare(recording, self.source.steps))
        return self.having(frame=default_frame(stop - start))

    def estimate(self) -> Method:
        """The parts that a spectrum hangs on; the rest set back."""
        return Method(self.source, self.frames, self.averaging)

    def findings(self) -> Method:
        """The parts that what is found in a spectrum hangs on; the rest set back."""
        return Method(self.source, self.frames, self.averaging, search=self.search)

    def single_frames(self) -> Method:
        """The parts that frames by themselves hang on; the rest set back."""
        return Method(self.source, self.frames)

    def tracking_key(self) -> Method:
        """The parts that what is followed from frame to frame hangs on; the rest set back."""
        return Method(self.source, self.frames, follow=self.follow)

    def run_up_key(self) -> Method:
        """The parts that a run-up hangs on; the rest set back."""
        return Method(self.source, self.frames, shaft=self.shaft)

    def frf_key(self) -> Method:
        """The parts that a transfer function hangs on; the rest set back."""
        return Method(replace(self.source, channel=0), self.frames, between=self.between)


OPTIONAL = ("shaft", "between")
"""Parts that a method need not have."""
_PARTS = tuple(one.name for one in fields(Method))
_HOMES = {
    one.name: part.name
    for part in fields(Method)
    if part.name not in OPTIONAL
    for one in fields(getattr(Method(), part.name))
}
"""In which part each setting is; their names are all different."""


@dataclass(frozen=True)
class Preset:
    """A method that was given a name, apart from any recording."""

    name: str
    method: Method

    @classmethod
    def of(cls, name: str, method: Method) -> Preset:
        """Keep of a method what does not belong to one recording."""
        return cls(name, _for(method, Method()))

    def applied(self, method: Method) -> Method:
        """This way of analysing for what ``method`` is about; where the preset has steps they
        take the place of the method's."""
        steps = self.method.source.steps or method.source.steps
        return _for(self.method, method.having(steps=steps))


def _for(method: Method, about: Method) -> Method:
    """``method`` with all that belongs to one recording taken from ``about``."""
    average, other = method.averaging.average, about.averaging.average
    if isinstance(average, Single):  # which frame it is belongs to the recording
        average = other if isinstance(other, Single) else Single()
    steps = about.source.steps or method.source.steps
    return replace(
        method,
        source=replace(about.source, steps=steps),
        averaging=replace(method.averaging, average=average, struck=about.averaging.struck),
        search=Search(
            replace(method.search.peaks, by_hand=about.search.peaks.by_hand), about.search.fits
        ),
        shaft=about.shaft,
        between=about.between,
    )


@dataclass(frozen=True)
class Resolution:
    """What a method can tell apart, known before anything is computed.

    ``separable_hz`` is the smallest gap at which two equal tones show as two: the window's
    −6 dB width (Harris 1978).
    """

    bin_hz: float
    enbw_hz: float
    separable_hz: float
    frame_s: float
    frames: int
    effective_averages: float
    covered_fraction: float
    stretch_s: float
    nyquist_hz: float


def default_frame(length: int) -> int:
    """The longest power of two that gives about two dozen half-overlapped frames or more."""
    frame = _LONGEST_DEFAULT
    while frame > 256 and 1 + (length - frame) // (frame // 2) < _WANTED_FRAMES:
        frame //= 2
    return max(2, min(frame, length))


def default_levels(channels: Sequence[Channel], fs: float, shaft: float | None = None) -> Bands:
    """What is read of channels of acceleration or velocity to begin with: velocity from 10 to
    1000 Hz, from 2 Hz on of a ``shaft`` (Hz) under 10 Hz (as ISO 20816-1 has it); nothing of
    others, or of ones that are sampled too slowly (``fs``, Hz) to have a decade of it."""
    low = _SLOW_FROM if shaft is not None and shaft < _FROM else _FROM
    moves = any(unit(one.unit).quantity in ("Acceleration", "Velocity") for one in channels)
    return (Band(low, _TO, unit="mm/s"),) if moves and fs / 2 >= 10 * low else ()


def levels_of(method: Method, shaft: float | None) -> Method:
    """The same where it has the default level, from as low as a ``shaft`` (Hz) asks for."""
    low = _SLOW_FROM if shaft is not None and shaft < _FROM else _FROM
    usual = {Band(low, _TO, unit=one) for low in (_FROM, _SLOW_FROM) for one in ("mm/s", "in/s")}
    bands = tuple(replace(one, low=low) if one in usual else one for one in method.levels)
    return method.having(bands=bands)


def in_units(method: Method, system: System) -> Method:
    """The same with all that is worked out in units of this system: integrals and derivatives as
    they are shown, by steps, and in levels, whose zones are converted."""
    others = [one for name, one in SYSTEMS.items() if name != system]
    bands, steps = list(method.levels), list(method.source.steps)
    for i, band in enumerate(bands):
        for quantity, symbol in ((q, s) for one in others for q, s in one.items()):
            if band.unit == symbol:
                size = conversion(symbol, SYSTEMS[system][quantity])
                limits = tuple(float(f"{size * one:.6g}") for one in band.limits)
                bands[i] = replace(band, unit=SYSTEMS[system][quantity], limits=limits)
    for i, step in enumerate(steps):
        if isinstance(step, Motion):
            steps[i] = replace(step, units=system)
    display = replace(method.shown.display, units=system)
    return method.having(bands=tuple(bands), steps=tuple(steps), display=display)


def default_method(recording: Recording | Signal, shaft: float | None = None) -> Method:
    """What a recording is first analysed with: the whole of it, Hann, half overlapped, and the
    :func:`default_levels` of a machine whose ``shaft`` turns at so many Hz."""
    length = recording.length
    if isinstance(recording, Signal):  # what steps leave
        first, stop = recording.settled((0,))
        length = max(stop - first, 2)
    levels = default_levels(recording.channels, recording.rate, shaft)
    return Method(frames=Frames(frame=default_frame(length)), follow=Follow(bands=levels))


@dataclass(frozen=True, eq=False)
class FramePlan:
    """A method checked against a recording: the ``signal`` that is read, from sample ``start``
    to ``stop``, and its frames."""

    signal: Signal
    number: int
    start: int
    stop: int
    taper: Window
    framing: Framing
    averages: float

    @property
    def fs(self) -> float:
        """Sample rate, Hz."""
        return self.signal.rate

    @property
    def channel(self) -> Channel:
        """The channel that is analysed."""
        return self.signal.channels[self.number]

    @property
    def read(self) -> StretchRead:
        """Samples of the stretch, counted from its start."""
        return StretchRead(self.signal, self.number, self.start)


def plan(method: Method, recording: Recording) -> FramePlan:
    """Check ``method`` against ``recording``; :class:`UserError` says what does not fit."""
    method = method.framed(recording)
    source, frames, average = method.source, method.frames, method.averaging.average
    if wrong := not_finite(method):
        raise UserError(f"The method's {wrong} is no number", remedy="give it a number")
    signal = prepare(recording, source.steps)
    fs = signal.rate
    for number in (source.channel, source.reference or 0, *source.axes):
        if not 0 <= number < len(signal.channels):
            raise UserError(
                f"{recording.name} has no channel {number + 1}",
                f"it has {len(signal.channels)}",
            )
    if not 1 <= frames.pad <= MAX_PAD:
        raise UserError(
            f"Zero padding ×{frames.pad} cannot be used", remedy=f"choose 1 to {MAX_PAD}"
        )
    first, last = source.span(signal)
    taper = window(frames.window)
    average.check(signal.channels)
    start, stop, framing = average.frames(first, last, frames.frame, frames.overlap, fs)
    spans = [
        (round(s.start * fs) - start, round(s.end * fs) - start) for s in method.averaging.left_out
    ]
    spans += [(a - start, b - start) for a, b in signal.lost]
    framing = framing.without([(a, b) for a, b in spans if b > 0 and b > a])
    for band in method.levels:
        band.check()
    if method.follow.profile is not None:
        method.follow.profile.check()
    for fit in method.search.fits:
        fit.check(fs / 2)
    method.shown.display.check(signal.channels[source.channel].unit)
    return FramePlan(
        signal=signal,
        number=source.channel,
        start=start,
        stop=stop,
        taper=taper,
        framing=framing,
        averages=average.worth(effective_averages(framing, taper.name)),
    )


def frame_plan(method: Method, recording: Recording, frame: int | None = None) -> FramePlan:
    """The plan of single frames, whatever way they are averaged or left out, each ``frame``
    samples long, the method's own for None."""
    plain = method.single_frames()
    return plan(plain if frame is None else plain.having(frame=frame), recording)


def resolution(method: Method, recording: Recording, found: FramePlan | None = None) -> Resolution:
    """The figures of the ruler; raises :class:`UserError` as :func:`plan` does.

    ``found`` is the plan where more frames turned out to be left out than could be planned.
    """
    method = method.framed(recording)
    p = found or plan(method, recording)
    start, stop = (method.source.stretch or whole(p.signal)).indices(p.signal)
    frame_hz = p.fs / method.frames.frame
    return Resolution(
        bin_hz=frame_hz / method.frames.pad,
        enbw_hz=p.taper.enbw * frame_hz,
        separable_hz=p.taper.width_6db * frame_hz,
        frame_s=method.frames.frame / p.fs,
        frames=p.framing.count,
        effective_averages=p.averages,
        covered_fraction=p.framing.covered_fraction * (p.stop - p.start) / (stop - start),
        stretch_s=(stop - start) / p.fs,
        nyquist_hz=p.fs / 2,
    )
