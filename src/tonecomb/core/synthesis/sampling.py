"""How a made signal is sampled: rate, length, converter, low-pass before it, clock."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.setting import setting
from tonecomb.core.record import seeded_noise as chance
from tonecomb.core.record.quantised import MOST_BITS, step
from tonecomb.core.record.recording import Array
from tonecomb.core.synthesis.low_pass import SamplingLowPass
from tonecomb.core.synthesis.part import UNIT, joined

MOST_SAMPLES = 1 << 40  # of a made signal
_RATES = (1e-6, 1e12)  # Hz


@dataclass(frozen=True)
class Sampling:
    """``bits`` and ``full_scale`` are 0 for a converter without steps or limits, ``low_pass`` for
    none before it."""

    says: ClassVar[tuple[str, ...]] = (
        "sampled at",
        "@rate",
        ",",
        "@samples",
        ",",
        "@bits",
        ",",
        "@low_pass",
        ",",
        "@jitter",
    )

    rate: float = setting("rate", "number", 256.0, unit="Hz", help="samples a second")
    samples: int = setting("samples", "whole", 256, help="how many are taken")
    bits: int = setting("bits", "whole", 0, least=0, help="of the converter; 0 for all figures")
    full_scale: float = setting(
        "full-scale", "number", 0.0, unit=UNIT, help="what is beyond is clipped; 0 for nothing"
    )
    low_pass: float = setting(
        "low-pass",
        "number",
        0.0,
        unit="Hz",
        least=0,
        help="where the circuit before the converter is 3 dB down; 0 for none",
    )
    order: int = setting("order", "whole", 8, help="how steep that is: 20 dB a decade each")
    jitter: float = setting("jitter", "number", 0.0, unit="µs", help="rms of the clock's")

    @property
    def duration(self) -> float:
        """How long it takes, s."""
        return self.samples / self.rate

    @property
    def filter(self) -> SamplingLowPass | None:
        """The low-pass, None for none."""
        return SamplingLowPass(self.low_pass, self.order) if self.low_pass else None

    @property
    def step(self) -> float:
        """The distance of two values, 0 where they are not counted."""
        return step(self.bits, self.full_scale) if self.bits else 0.0

    def lasting(self, seconds: float) -> Sampling:
        """The same for as long as this; :class:`UserError` where no sample is left."""
        count = seconds * self.rate
        if not count < MOST_SAMPLES + 1:
            count = MOST_SAMPLES + 1  # refused below
        sampling = replace(self, samples=math.floor(count + 1e-6))
        sampling.check()
        return sampling

    def check(self) -> None:
        """Raise :class:`UserError` where nothing can be sampled so."""
        if not _RATES[0] <= self.rate <= _RATES[1]:
            raise UserError(
                f"A rate of {self.rate:g} Hz cannot be sampled at",
                remedy="give one above 0 Hz, up to 1e12 Hz",
            )
        if not 1 <= self.samples <= MOST_SAMPLES:
            text = "no sample" if self.samples < 1 else f"more than {MOST_SAMPLES} samples"
            raise UserError(
                f"So short or long a recording has {text}",
                f"{self.samples} at {self.rate:g} Hz",
                "choose another number of samples or another duration",
            )
        if not 0 <= self.bits <= MOST_BITS:
            raise UserError(
                f"A converter of {self.bits} bits cannot be made",
                remedy=f"give 1 to {MOST_BITS}, or 0 for one without steps",
            )
        if not 0 <= self.full_scale < math.inf or (self.bits and not self.full_scale):
            raise UserError(
                f"A full scale of {self.full_scale:g} does not go with {self.bits} bits",
                remedy="give the largest value that the converter shows",
            )
        if not 0 <= self.low_pass < math.inf or not 1 <= self.order <= 16:
            raise UserError(
                f"A low-pass at {self.low_pass:g} Hz of order {self.order} cannot be made",
                remedy="give a frequency from 0 on and an order from 1 to 16",
            )
        if not 0 <= self.jitter * 1e-6 <= 0.5 / self.rate:
            raise UserError(
                f"A clock that strays by {self.jitter:g} µs cannot be made",
                f"samples are {1e6 / self.rate:g} µs apart",
                "give at most half of that",
            )

    def times(self, start: int, stop: int, seed: int) -> Array:
        """When the samples ``start`` to ``stop`` (not included) are taken, s."""
        t = np.arange(start, stop) / self.rate
        if not self.jitter:
            return t
        return np.asarray(t + self.jitter * 1e-6 * chance.normal((seed, 0, 6), start, stop))

    def figure(self, attribute: str, unit: str) -> str:
        """A setting as it stands in the sentence."""
        if attribute == "samples":
            return "1 sample" if self.samples == 1 else f"{self.samples} samples"
        if attribute == "bits":
            if not self.full_scale:
                return "all figures"
            scale = f"± {self.full_scale:.6g} {unit}".rstrip()
            return f"{self.bits} bits of {scale}" if self.bits else f"all figures of {scale}"
        if attribute == "low_pass":
            if not self.low_pass:
                return "no low-pass before"
            return f"low-pass at {self.low_pass:.6g} Hz, order {self.order}, before"
        if attribute == "jitter":
            return f"clock ± {self.jitter:.4g} µs" if self.jitter else "even clock"
        return f"{self.rate:.9g} Hz"

    def phrases(self, unit: str) -> list[tuple[str, str]]:
        """The sentence, as a part's."""
        return [
            ("", one) if one[0] != "@" else (one[1:], self.figure(one[1:], unit))
            for one in self.says
        ]

    def words(self, unit: str) -> str:
        """It in one line."""
        return joined([text for _, text in self.phrases(unit)])
