"""What is watched for in samples as they come: a level that is crossed, a time that has passed, a
band or a curve that is exceeded.

A watch is told every block and answers with events. What was lost is never bridged: a crossing
needs both of its samples, an alarm a span without a hole.
"""

from __future__ import annotations

import json
import math
from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.bands import band_rms
from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.estimate.spectrum import Spectrum, averaged_spectrum
from tonecomb.core.record.recording import Array, Channel
from tonecomb.core.record.windows import window
from tonecomb.live.source import Block

Slope = Literal["rising", "falling", "beyond"]
SLOPES: dict[Slope, str] = {
    "rising": "rises through",
    "falling": "falls through",
    "beyond": "goes beyond ±",
}
MOST_EVENTS = 10_000
"""That are kept of one watch; more are counted."""
_REARMED = 0.9  # of the level, below which a signal is before it can cross it again
_FRAMES = 16  # that an alarm's spectrum is the mean of


@dataclass(frozen=True)
class Event:
    """The ``number``-th (from 1) of its ``kind``: samples ``first`` to ``end`` (not included) of a
    ``channel`` (from 0), ``at`` the sample where it was. ``value`` in the channel's unit is what
    crossed, or the most there was; ``over`` how many times the alarm's level that is, ``hz`` where.
    ``running`` while it goes on."""

    kind: Literal["capture", "alarm"]
    number: int
    first: int
    end: int
    at: int
    channel: int
    value: float
    over: float = math.nan
    hz: float = math.nan
    running: bool = False

    def line(self) -> str:
        """As one line of JSON."""
        said = {
            key: None if isinstance(value, float) and math.isnan(value) else value
            for key, value in asdict(self).items()
        }
        return json.dumps(said)

    @classmethod
    def of_line(cls, line: str) -> Event:
        """What :meth:`line` wrote."""
        said: dict[str, Any] = json.loads(line)
        kept: Any = {key: math.nan if value is None else value for key, value in said.items()}
        return cls(**kept)


@dataclass(frozen=True)
class Trigger:
    """Captures of ``length`` s that begin ``before`` s ahead of where a ``channel`` (from 0)
    crosses ``level``; without a level one ``every`` so many s."""

    channel: int = 0
    level: float | None = None
    slope: Slope = "rising"
    before: float = 0.1
    length: float = 1.0
    every: float = 60.0

    def check(self, channels: Sequence[Channel]) -> None:
        """Raises :class:`UserError` where it makes no sense."""
        _check_channel(self.channel, channels)
        if not 0 <= self.before < self.length <= 3600 or (self.level is None and self.every <= 0):
            raise UserError(
                f"A capture of {self.length:g} s, {self.before:g} s of it before the trigger, "
                "cannot be",
                remedy="have it longer than what is before, up to an hour",
            )
        if self.slope == "beyond" and self.level is not None and self.level <= 0:
            raise UserError(f"Nothing goes beyond ±{self.level:g}", remedy="give a level above 0")

    def words(self, channels: Sequence[Channel]) -> str:
        """What it waits for."""
        if self.level is None:
            return f"every {self.every:g} s"
        one = channels[self.channel]
        joint = "" if self.slope == "beyond" else " "
        return f"{one.name} {SLOPES[self.slope]}{joint}{self.level:g} {one.unit}"


@dataclass(frozen=True)
class Alarm:
    """A ``channel`` (from 0) whose rms between ``low`` and ``high`` (Hz) is above ``level``; or,
    with a ``curve`` of frequencies (Hz) and mean squares, whose spectrum is more than ``margin`` dB
    above it in a bin between them. ``frame`` samples, tapered by ``taper``, make one spectrum."""

    channel: int = 0
    low: float = 0.0
    high: float = math.inf
    level: float = 1.0
    curve: tuple[tuple[float, ...], tuple[float, ...]] | None = None
    margin: float = 6.0
    frame: int = 4096
    taper: str = "hann"
    called: str = ""

    def __post_init__(self) -> None:
        if self.curve is not None:  # lists, where it comes from JSON
            frequency, squares = self.curve
            object.__setattr__(self, "curve", (tuple(frequency), tuple(squares)))

    def check(self, channels: Sequence[Channel], rate: float) -> None:
        """Raises :class:`UserError` where it makes no sense."""
        _check_channel(self.channel, channels)
        if not 0 <= self.low < self.high or self.low >= rate / 2:
            raise UserError(
                f"There is no band from {self.low:g} to {self.high:g} Hz at {rate:g} Hz",
                remedy=f"give one below {rate / 2:g} Hz",
            )
        if self.curve is None and not self.level > 0:
            raise UserError(f"An alarm at {self.level:g} cannot be", remedy="give a level above 0")

    def words(self, channels: Sequence[Channel]) -> str:
        """What it is about."""
        one = channels[self.channel]
        band = f"{self.low:g} Hz up" if math.isinf(self.high) else f"{self.low:g}–{self.high:g} Hz"
        if self.curve is not None:
            return f"{one.name}, {band}: {self.margin:g} dB over {self.called or 'a held trace'}"
        return f"{one.name}, {band}: over {self.level:g} {one.unit} rms"


@dataclass
class Numbers:
    """How many captures and alarms there were; ``unlisted`` beyond :data:`MOST_EVENTS`."""

    capture: int = 0
    alarm: int = 0
    unlisted: int = 0

    def next(self, kind: Literal["capture", "alarm"]) -> int:
        """The number of another, 0 where there are too many."""
        count = getattr(self, kind)
        if count >= MOST_EVENTS:
            self.unlisted += 1
            return 0
        setattr(self, kind, count + 1)
        return int(count) + 1


class Watch(ABC):
    """For what is ``wanted``; ``numbers`` are shared by all that watch one source."""

    wanted: Trigger | Alarm
    numbers: Numbers

    @abstractmethod
    def take(self, block: Block) -> Iterator[Event]:
        """What the next block brings; an event comes again, under its number, when it ends."""


class TriggerWatch(Watch):
    """Finds where to capture. A capture ends before the next begins."""

    def __init__(self, trigger: Trigger, rate: float, numbers: Numbers | None = None) -> None:
        self.wanted = self.trigger = trigger
        self.numbers, self._rate = numbers or Numbers(), rate
        self._before, self._length = round(trigger.before * rate), round(trigger.length * rate)
        self._free = 0  # the sample from which there may be another
        self._armed = self._was_there = False

    def take(self, block: Block) -> Iterator[Event]:
        trigger = self.trigger
        if trigger.level is None:
            every = max(1, round(trigger.every * self._rate))
            for at in range(-(-block.first // every) * every, block.end, every):
                if at >= self._free:
                    yield from self._events(at, math.nan)
            return
        if block.frames is None:
            self._armed = False
            return
        x = block.frames[:, trigger.channel].astype(np.float64)
        x = {"rising": x, "falling": -x, "beyond": np.abs(x)}[trigger.slope]
        level = -trigger.level if trigger.slope == "falling" else trigger.level
        low = level - (1 - _REARMED) * abs(level)
        with np.errstate(invalid="ignore"):
            reset, over = np.flatnonzero(~(x >= low) & (x == x)), np.flatnonzero(x >= level)
        lost = np.flatnonzero(x != x)
        at = 0
        while at < len(x):
            if not self._armed:
                i = np.searchsorted(reset, at)
                if i >= len(reset):
                    return
                at, self._armed = int(reset[i]) + 1, True
                continue
            i, j = np.searchsorted(over, at), np.searchsorted(lost, at)
            hole = int(lost[j]) if j < len(lost) else len(x)
            if i < len(over) and over[i] < hole:
                at, self._armed = int(over[i]), False
                if block.first + at >= self._free:
                    value = float(block.frames[at, trigger.channel])
                    yield from self._events(block.first + at, value)
            elif hole < len(x):
                at, self._armed = hole + 1, False
            else:
                return

    def _events(self, at: int, value: float) -> Iterator[Event]:
        first, end = max(0, at - self._before), at - self._before + self._length
        self._free = end
        if number := self.numbers.next("capture"):
            yield Event("capture", number, first, end, at, self.trigger.channel, value)


class AlarmWatch(Watch):
    """Looks at spans of a few frames, each half over the one before."""

    def __init__(self, alarm: Alarm, rate: float, numbers: Numbers | None = None) -> None:
        self.wanted = self.alarm = alarm
        self.numbers, self._rate = numbers or Numbers(), rate
        frame = alarm.frame
        self._span = frame + (_FRAMES - 1) * frame // 2
        self._held: Array = np.zeros(0)
        self._from = 0
        self._now: Event | None = None

    def take(self, block: Block) -> Iterator[Event]:
        if block.frames is None or not np.isfinite(block.frames[:, self.alarm.channel]).all():
            self._held, self._from = np.zeros(0), block.end
            yield from self._end()
            return
        if not len(self._held):
            self._from = block.first
        self._held = np.concatenate([self._held, block.frames[:, self.alarm.channel]])
        while len(self._held) >= self._span:
            yield from self._look(self._held[: self._span])
            step = self._span // 2
            self._held, self._from = self._held[step:], self._from + step

    def _look(self, samples: Array) -> Iterator[Event]:
        framing = make_framing(len(samples), self.alarm.frame, 50.0, self._rate)
        spectrum = averaged_spectrum(
            lambda a, b: samples[a:b], framing, self._rate, window(self.alarm.taper), threads=1
        )
        over, value, hz = self._excess(spectrum)
        end = self._from + len(samples)
        if not over > 1.0:
            yield from self._end()
            return
        if self._now is None:
            if not (number := self.numbers.next("alarm")):
                return
            self._now = Event(
                "alarm",
                number,
                self._from,
                end,
                self._from,
                self.alarm.channel,
                value,
                over,
                hz,
                True,
            )
        elif over > self._now.over:
            self._now = replace(self._now, end=end, at=self._from, value=value, over=over, hz=hz)
        else:
            self._now = replace(self._now, end=end)
        yield self._now

    def _excess(self, spectrum: Spectrum) -> tuple[float, float, float]:
        """How many times (as an amplitude) the limit there is, the value, and where."""
        alarm = self.alarm
        f = spectrum.frequency
        inside = (f >= alarm.low) & (f <= alarm.high)
        if alarm.curve is None:
            value = band_rms(spectrum, alarm.low, min(alarm.high, self._rate / 2))
            hz = float(f[inside][np.argmax(spectrum.mean_square[inside])]) if inside.any() else 0.0
            return value / alarm.level, value, hz
        frequency, limit = (np.array(one) for one in alarm.curve)
        inside &= (f >= frequency[0]) & (f <= frequency[-1])
        if not inside.any():
            return 0.0, 0.0, math.nan
        allowed = np.interp(f[inside], frequency, limit) * 10 ** (alarm.margin / 10)
        times = spectrum.mean_square[inside] / np.maximum(allowed, 1e-300)
        at = int(np.argmax(times))
        value = math.sqrt(spectrum.mean_square[inside][at])
        return math.sqrt(times[at]), value, float(f[inside][at])

    def _end(self) -> Iterator[Event]:
        if self._now is not None:
            ended, self._now = replace(self._now, running=False), None
            yield ended


def watch_of(wanted: Trigger | Alarm, rate: float, numbers: Numbers | None = None) -> Watch:
    """What watches for it at ``rate`` Hz."""
    if isinstance(wanted, Trigger):
        return TriggerWatch(wanted, rate, numbers)
    return AlarmWatch(wanted, rate, numbers)


def _check_channel(number: int, channels: Sequence[Channel]) -> None:
    if not 0 <= number < len(channels):
        raise UserError(
            f"There is no channel {number + 1}", f"there are {len(channels)}", "choose another"
        )
