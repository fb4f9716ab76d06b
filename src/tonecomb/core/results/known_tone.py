"""A measured tone held against one that is known, as a calibrator's: the deviation of frequency and
level, and the calibration that takes it away."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import conversion
from tonecomb.core.find.peaks import Peak
from tonecomb.core.record.sensors import Calibration
from tonecomb.core.results.analysis import Analysis

CALIBRATOR = (159.155, 10.0, "m/s²")
"""Frequency (Hz, ω = 1000/s), rms amplitude and unit of the usual handheld one (ISO 16063-44)."""
_NEAR = 0.05  # of the frequency, within which the tone is looked for


@dataclass(frozen=True)
class ToneCheck:
    """``known`` and ``read`` are frequency (Hz) and rms amplitude, both in the channel's ``unit``
    where ``comparable``, else the known one in its own, ``of``; ``frequency_std`` and
    ``amplitude_std`` are standard deviations of what was read. ``factor`` is what readings have to
    be multiplied by."""

    known: tuple[float, float]
    read: tuple[float, float]
    frequency_std: float
    amplitude_std: float
    unit: str
    of: str
    comparable: bool
    factor: float

    @property
    def parts_per_million(self) -> float:
        """By how much the frequency is off: the recorder's clock, or the calibrator's."""
        return 1e6 * (self.read[0] / self.known[0] - 1)

    @property
    def ppm_std(self) -> float:
        """Its standard deviation."""
        return 1e6 * self.frequency_std / self.known[0]

    @property
    def decibels(self) -> float:
        """By how much the level is off."""
        return -20 * math.log10(self.factor)

    @property
    def decibels_std(self) -> float:
        """Its standard deviation."""
        return 20 / math.log(10) * self.amplitude_std / self.read[1]


def check(analysis: Analysis, frequency: float, rms: float, unit: str) -> ToneCheck:
    """Hold the peak nearest to ``frequency`` (Hz) against a tone of ``rms`` in ``unit``.

    Raises :class:`UserError` where there is none within 5 %, or the units are of two kinds.
    """
    if not (frequency > 0 and rms > 0 and math.isfinite(frequency * rms)):
        raise UserError("The known tone needs a frequency and a level above 0")
    if analysis.order:
        raise UserError(
            "The channel is shown as another quantity than it was measured in",
            remedy="show it as it was measured, in the method line",
        )
    near = [
        peak for peak in analysis.peaks or () if abs(peak.tone.frequency / frequency - 1) < _NEAR
    ]
    if not near:
        raise UserError(
            f"There is no peak near {frequency:g} Hz",
            "what was read lies further off than 5 %",
            "switch the calibrator on, or choose the channel that measured it",
        )
    peak: Peak = max(near, key=lambda one: one.level)
    channel = analysis.channel.unit
    comparable, size = True, 1.0
    try:
        size = conversion(unit, channel)
    except UserError:
        comparable = False  # what a volt or a count is worth is just what is looked for
    read = peak.tone.amplitude / math.sqrt(2)
    return ToneCheck(
        (frequency, rms * size),
        (peak.tone.frequency, read),
        peak.tone.frequency_std,
        peak.tone.amplitude_std / math.sqrt(2),
        channel,
        unit,
        comparable,
        rms * size / read,
    )


def calibration(checked: ToneCheck, before: Calibration | None) -> Calibration:
    """What has to be said of the channel's sensor so that the tone reads as it is known: the
    sensitivity there was, or one in the file's unit, divided by the factor."""
    if before is not None:
        return replace(before, sensitivity=before.sensitivity / checked.factor)
    unit = checked.unit if checked.comparable else checked.of
    return Calibration(unit, 1 / checked.factor, checked.unit)
