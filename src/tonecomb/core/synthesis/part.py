"""A part of a made recording: what it adds at any instant, and what is known of it."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass, fields
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.setting import Setting, setting, setting_of
from tonecomb.core.record.recording import Array
from tonecomb.core.record.truth import KnownLine, KnownMode, KnownNoise
from tonecomb.core.synthesis.low_pass import SamplingLowPass

LEVELS = ("rms", "peak")
UNIT = "@"
"""As the unit of a setting: that of the recording."""
_SMALLEST, _LARGEST = 1e-9, 1e12  # and largest number that a part may have


@dataclass(frozen=True)
class Conditions:
    """Under which a part is sampled: at ``rate`` (Hz) for ``duration`` s, behind ``low_pass`` or
    nothing. ``seed`` is the recording's and the part's number: what is random follows from it."""

    rate: float
    duration: float
    low_pass: SamplingLowPass | None = None
    seed: tuple[int, int] = (0, 0)

    def random(self, *more: int) -> np.random.Generator:
        """A generator that begins alike wherever the same is made."""
        return np.random.default_rng((*self.seed, *more))


@dataclass(frozen=True, kw_only=True)
class Part(ABC):
    """``key`` names the kind of part in files, ``title`` in menus; ``says`` is its sentence, in
    which ``@`` stands before a setting.

    It is there from ``start`` to ``end`` (s; 0 for the end of the recording). Its amplitude may
    swing by ``am`` % at ``am_rate`` Hz, and its frequency by ``fm`` % at ``fm_rate`` Hz.
    """

    key: ClassVar[str]
    title: ClassVar[str]
    tip: ClassVar[str]
    says: ClassVar[tuple[str, ...]]
    bends: ClassVar[bool] = True
    """Whether it has a frequency that can swing."""
    random: ClassVar[bool] = False
    """Whether it is known sample by sample only, and not in between."""

    start: float = setting("from", "number", 0.0, unit="s", help="where it sets in")
    end: float = setting("to", "number", 0.0, unit="s", help="where it ends, 0 for never")
    am: float = setting("am", "number", 0.0, unit="%", help="by so much its amplitude swings")
    am_rate: float = setting("am-rate", "number", 1.0, unit="Hz", help="how often that swings")
    fm: float = setting("fm", "number", 0.0, unit="%", help="by so much its frequency swings")
    fm_rate: float = setting("fm-rate", "number", 1.0, unit="Hz", help="how often that swings")

    # What it is

    def check(self, c: Conditions) -> None:
        """Raise :class:`UserError` where it cannot be made."""
        for one in fields(self):
            told, value = setting_of(one), getattr(self, one.name)
            if told.kind in ("number", "whole"):
                self._check(told, float(value))
        stop = self.stop(c)
        if self.start < 0 or not self.start < c.duration or stop <= self.start:
            raise self.wrong(
                f"stands from {self.start:g} to {stop:g} s of {c.duration:g} s",
                "let it set in before it ends, within the recording",
            )
        if not 0 <= self.am <= 100 or not 0 <= self.fm < 100:
            raise self.wrong(
                f"swings by {max(self.am, self.fm, key=abs):g} %",
                "give 0 to 100 % of its amplitude, and less than 100 % of its frequency",
            )
        if self.fm and not self.bends:
            raise self.wrong("has no frequency that could swing", "leave fm at 0")

    def _check(self, told: Setting, value: float) -> None:
        positive = told.unit == "Hz"
        if not math.isfinite(value) or abs(value) > _LARGEST:
            raise self.wrong(f"has a {told.name} of {value:g}", "give a number below 1e12")
        if positive and told.least and not value > 0:
            raise self.wrong(
                f"has a {told.name.replace('-', ' ')} of {value:g} Hz", "give one above 0 Hz"
            )

    def wrong(self, what: str, remedy: str) -> UserError:
        """The error for a part that cannot be."""
        return UserError(f"The {self.title.lower()} {what}", remedy=remedy)

    def stop(self, c: Conditions) -> float:
        """Where it ends, s."""
        return self.end if self.end else c.duration

    def share(self, c: Conditions) -> float:
        """For how much of the recording it stands."""
        return (min(self.stop(c), c.duration) - self.start) / c.duration

    # Its words

    @property
    @abstractmethod
    def name(self) -> str:
        """What it is called over a line of the spectrum."""

    def phrases(self, unit: str) -> list[tuple[str, str]]:
        """Its sentence: pairs of a setting's attribute ("" for plain words) and what stands
        there."""
        told = [
            ("", one) if one[0] != "@" else (one[1:], self.figure(one[1:], unit))
            for one in self.says
        ]
        if self.am:
            told += [
                ("", ", swinging in amplitude by"),
                ("am", self.figure("am", unit)),
                ("", "at"),
                ("am_rate", self.figure("am_rate", unit)),
            ]
        if self.fm:
            told += [
                ("", ", in frequency by"),
                ("fm", self.figure("fm", unit)),
                ("", "at"),
                ("fm_rate", self.figure("fm_rate", unit)),
            ]
        if self.start or self.end:
            told += [("", ", from"), ("start", self.figure("start", unit)), ("", "to")]
            told += [("end", self.figure("end", unit) if self.end else "the end")]
        return told

    def words(self, unit: str) -> str:
        """Its sentence in one line."""
        return joined([text for _, text in self.phrases(unit)])

    def figure(self, attribute: str, unit: str) -> str:
        """A setting as it stands in the sentence."""
        told, value = self.setting(attribute), getattr(self, attribute)
        if told.kind in ("choice", "text"):
            return str(value)
        symbol = told.unit.replace(UNIT, unit)
        if attribute == "amplitude":
            symbol += f" {getattr(self, 'level', 'peak')}"
        number = f"{value:.6g}".replace("-", "−")
        return f"{number}{'' if symbol == '°' else ' '}{symbol}".rstrip()

    def setting(self, attribute: str) -> Setting:
        """What one of its fields says of itself."""
        return setting_of(next(one for one in fields(self) if one.name == attribute))

    # What it adds

    def values(self, first: int, t: Array, c: Conditions) -> Array:
        """What it adds at the instants ``t`` (s, shape (n,)), which are those of the samples
        ``first`` and on; in the recording's unit."""
        x = self.at(self.bent(t), t, c)
        if self.am:
            x = x * self.swing(t)
        if self.start > 0 or self.end:
            x = np.where((t >= self.start) & (t < self.stop(c)), x, 0.0)
        return x

    def at(self, tau: Array, t: Array, c: Conditions) -> Array:
        """The same without its swing in amplitude and its ends; ``tau`` is the time by which its
        phase goes."""
        raise NotImplementedError

    def swing(self, t: Array) -> Array:
        """1 + m cos 2πft of its amplitude."""
        return np.asarray(1 + self.am / 100 * np.cos(2 * np.pi * self.am_rate * t))

    def bent(self, t: Array) -> Array:
        """The time by which its phase goes, so that its frequency is f (1 + d cos 2πft)."""
        if not self.fm:
            return t
        w = 2 * np.pi * self.fm_rate
        return np.asarray(t + self.fm / 100 / w * np.sin(w * t))

    def pace(self, t: Array) -> Array:
        """How fast that time goes."""
        if not self.fm:
            return np.ones_like(t)
        return np.asarray(1 + self.fm / 100 * np.cos(2 * np.pi * self.fm_rate * t))

    def reach(self) -> float:
        """The most that it may add, 0 where that is not known."""
        return 0.0

    # What is known of it

    def lines(self, number: int, c: Conditions) -> list[KnownLine]:
        """The lines that a spectrum of it has."""
        return []

    def modes(self, number: int) -> list[KnownMode]:
        """The resonances in it."""
        return []

    def noises(self, number: int, c: Conditions) -> list[KnownNoise]:
        """The noise that it is."""
        return []

    def line(
        self,
        number: int,
        c: Conditions,
        frequency: float,
        amplitude: float,
        phase: float,
        name: str = "",
    ) -> list[KnownLine]:
        """A line of it behind the low-pass, and its sidebands where its amplitude swings; one that
        moves where its frequency does."""
        if c.low_pass is not None:
            gain = complex(c.low_pass.response(frequency))
            amplitude, phase = amplitude * abs(gain), phase + math.degrees(np.angle(gain))
        share, lines = self.share(c), []
        off = self.fm / 100 * frequency
        sides = [(0, 1.0)]
        if self.am and not self.fm:
            sides += [(-1, self.am / 200), (1, self.am / 200)]
        for side, size in sides:
            f = frequency + side * self.am_rate
            if f > 0:
                called = (name or self.name) + (f" {side:+d}".replace("-", "−") if side else "")
                turned = math.nan if off else (phase + 180) % 360 - 180
                ends = (f - off, f + off) if off else (0.0, 0.0)
                lines.append(KnownLine(number, called, f, amplitude * size, turned, share, *ends))
        return lines


def joined(texts: list[str]) -> str:
    """Words and figures as one sentence: no space before a comma."""
    return " ".join(text for text in texts if text).replace(" ,", ",")


def peak(amplitude: float, level: str) -> float:
    """A sine's peak amplitude."""
    return amplitude * math.sqrt(2) if level == "rms" else amplitude


def frequency(name: str, default: float, help: str) -> Any:
    """A setting that is a frequency above 0."""
    return setting(name, "number", default, unit="Hz", help=help)
