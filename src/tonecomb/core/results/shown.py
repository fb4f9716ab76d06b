"""An estimate as a method says it is shown."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from tonecomb.core.base.units import Unit
from tonecomb.core.estimate.display import SURE_BINS, Curve, Display, curve, curve_scaling
from tonecomb.core.estimate.phase import OneFrame
from tonecomb.core.estimate.spectrum import (
    Level,
    Scaling,
    Spectrum,
    level_label,
    to_decibels,
)
from tonecomb.core.method.method import Method, Resolution
from tonecomb.core.record.recording import Array, Channel
from tonecomb.core.results.estimate import Estimate

UNEVEN = 0.05  # share by which parts of a record differ in level
_SLOW = 10.0  # times the usual bin, that the first hold where something is slower still
"""Share by which two figures for one level may differ."""


@dataclass(frozen=True, eq=False)
class ShownEstimate:
    """An estimate in the quantity, scaling and level of a method: where it asks for another
    quantity, bins have been multiplied by a power of iω. To show it otherwise computes nothing
    anew."""

    estimate: Estimate
    method: Method

    @property
    def recording_id(self) -> str:
        """Whose it is."""
        return self.estimate.recording_id

    @property
    def recording_name(self) -> str:
        """The recording's name."""
        return self.estimate.recording_name

    @property
    def channel(self) -> Channel:
        """The channel that was analysed."""
        return self.estimate.channel

    @property
    def fs(self) -> float:
        """Its sample rate, Hz."""
        return self.estimate.fs

    @property
    def resolution(self) -> Resolution:
        """What the estimate can tell apart."""
        return self.estimate.resolution

    @property
    def display(self) -> Display:
        """How it is shown, from what frequency on included."""
        return self.method.shown.display

    @property
    def order(self) -> int:
        """The power of iω by which the channel's amplitudes were divided to be shown."""
        return self.display.order(self.channel.unit)

    def gain(self, frequency: Array) -> Array:
        """What amplitudes at these frequencies (Hz) are multiplied by to be shown."""
        return self.display.gain(frequency, self.channel.unit)

    @property
    def derived(self) -> bool:
        """Whether what is shown is not as it was measured."""
        return bool(self.order or self.display.weighting)

    def weighted_gain(self, frequency: Array) -> Array:
        """What curves and levels at these frequencies (Hz) are multiplied by to be shown."""
        return self.display.weighted_gain(frequency, self.channel.unit)

    @cached_property
    def spectrum(self) -> Spectrum:
        """The estimated spectrum."""
        spectrum = self.estimate.spectrum
        if not self.derived:
            return spectrum
        gain = self.weighted_gain(spectrum.frequency)
        return replace(spectrum, mean_square=spectrum.mean_square * gain**2)

    @cached_property
    def single(self) -> OneFrame | None:
        """The one frame, where there is but one."""
        single = self.estimate.single
        if single is None or not self.derived:
            return single
        gain = self.weighted_gain(self.estimate.spectrum.frequency)
        return replace(single, bins=single.bins * gain)

    @cached_property
    def unit(self) -> Unit:
        """The unit that is shown, with its decibel reference."""
        return self.display.unit(self.channel.unit)

    @cached_property
    def curve(self) -> Curve:
        """What is drawn, in the method's scaling, linear."""
        return curve(
            self.spectrum,
            self.method.shown.scaling,
            self.method.shown.level,
            self.method.shown.display,
        )

    @property
    def scaling(self) -> Scaling:
        """The scaling of ``curve``."""
        return curve_scaling(
            self.method.shown.scaling, self.method.shown.level, self.method.shown.display
        )[0]

    @property
    def values(self) -> Array:
        """The spectrum in the method's scaling, linear, shape (bins,)."""
        return self.spectrum.values(self.method.shown.scaling, self.method.shown.level)

    @property
    def values_unit(self) -> str:
        """Symbol of what is drawn."""
        return self.unit.scaled(*self._drawn)

    def decibels(self, values: Array) -> Array:
        """Linear values of the curve in dB; zeros become the lowest that can be."""
        return to_decibels(np.maximum(values, np.finfo(float).tiny), self.scaling, self.unit)

    def label(self, decibels: bool) -> str:
        """Quantity and unit of what is drawn, for an axis."""
        text = level_label(*self._drawn, self.unit, decibels)
        words = self.method.shown.display.words()
        if self.curve.narrow:
            words += f" (pale: under {SURE_BINS:g} bins wide)"
        return f"{text}, {words}" if words else text

    @property
    def _drawn(self) -> tuple[Scaling, Level]:
        return curve_scaling(
            self.method.shown.scaling, self.method.shown.level, self.method.shown.display
        )

    @property
    def rms_of(self) -> str:
        """What ``rms`` is that of, in words."""
        if self.derived:
            return "in the frames"
        average = self.method.averaging.average
        return "over the stretch" if average.cut else "in the frame"

    @property
    def uneven(self) -> bool:
        """Whether the frames' own rms is not that of the stretch's samples, by over 5 %."""
        frames, level = self.estimate.averaged.rms, self.estimate.level.rms
        averaged = self.method.averaging.average
        whole = averaged.typical and averaged.cut and not self.method.source.axes
        return whole and abs(frames - level) > UNEVEN * level

    @property
    def other_ends(self) -> bool:
        """Whether that is since an end, which windows hardly weigh, is not as loud as the rest."""
        frames = self.estimate.averaged.rms
        even = self.estimate.level.with_even_weights(frames)
        return self.uneven and abs(even - frames) > UNEVEN * even

    @property
    def slow(self) -> bool:
        """Whether the frames lack something slower than their first bin, which stands out then;
        if it is not that nor an end, something short counts by its place in the frames."""
        power = self.spectrum.mean_square
        first = round(self.spectrum.frame_hz / self.spectrum.bin_hz)
        stands_out = power[first : 2 * first + 1].max() > _SLOW * np.median(power)
        return bool(stands_out) and self.estimate.averaged.rms < self.estimate.level.rms

    @property
    def amplitude_unit(self) -> str:
        """Symbol and level of peak amplitudes, which are amplitudes in every scaling."""
        return f"{self.unit.symbol} {self.method.shown.level}"
