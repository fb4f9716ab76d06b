"""Machine time: one warp of time for all that turns with one shaft.

In machine time τ = t + s(t) what turns stands still: a line of order n has the phase 2πn·f·τ. The
delay s is a cubic spline; it is zero at both ends, so that frequencies are those at the mean speed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np

from tonecomb.core.record import sinc
from tonecomb.core.record.recording import Array

MOST_KNOTS = 20_000  # of a law, as a session holds it
_PASSES = 12  # of the fixed point that turns the law round: below 1e-12 s at 30 %
_FINE_S = 0.005  # between the places at which the law is turned round


@dataclass(frozen=True)
class Warp:
    """``knots`` are times (s) from the start of a record and the delay (s) then, at both ends 0."""

    knots: tuple[tuple[float, float], ...]

    @classmethod
    def of(cls, time: Array, delay: Array) -> Warp:
        """Of times that rise and delays (knots,): a line is taken off, as the mean speed is kept;
        knots are thinned to :data:`MOST_KNOTS`."""
        share = (time - time[0]) / (time[-1] - time[0])
        level = delay - delay[0] - (delay[-1] - delay[0]) * share
        level[-1] = 0.0
        every = -(-len(time) // MOST_KNOTS)
        kept = np.unique(np.append(np.arange(0, len(time), every), len(time) - 1))
        return cls(tuple(zip(time[kept].tolist(), level[kept].tolist(), strict=True)))

    @cached_property
    def time(self) -> Array:
        """Of the knots, s."""
        return np.array([time for time, _ in self.knots])

    @cached_property
    def _spline(self) -> Callable[..., Array]:
        from scipy.interpolate import CubicSpline

        spline: Callable[..., Array] = CubicSpline(self.time, [delay for _, delay in self.knots])
        return spline

    @cached_property
    def _back(self) -> Callable[..., Array]:
        from scipy.interpolate import CubicSpline

        first, last = float(self.time[0]), float(self.time[-1])
        places = max(len(self.time), min(1 << 20, int((last - first) / _FINE_S))) + 1
        machine = np.linspace(first, last, places)
        time = machine.copy()
        for _ in range(_PASSES):
            time = machine - self.delay(time)
        spline: Callable[..., Array] = CubicSpline(machine, time)
        return spline

    def delay(self, time: Array) -> Array:
        """s(t), s, at times (s); as at its ends beyond them."""
        return np.asarray(self._spline(np.clip(time, self.time[0], self.time[-1])))

    def to_machine(self, time: Array) -> Array:
        """Machine time of clock times, s."""
        return time + self.delay(time)

    def to_clock(self, machine: Array) -> Array:
        """Clock time of machine times, s."""
        inside = np.clip(machine, self.time[0], self.time[-1])
        return np.asarray(self._back(inside)) + (machine - inside)

    def swing(self, time: Array) -> Array:
        """By what share the speed is off its mean at clock times (s): ds/dt."""
        return np.asarray(self._spline(np.clip(time, self.time[0], self.time[-1]), 1))

    @cached_property
    def range(self) -> tuple[float, float]:
        """Lowest and highest swing."""
        swing = self.swing(np.linspace(self.time[0], self.time[-1], 4 * len(self.time)))
        return float(swing.min()), float(swing.max())

    @property
    def wander(self) -> float:
        """Half of what the speed covers, as a share of its mean: ± so much."""
        return (self.range[1] - self.range[0]) / 2

    def samples(
        self, read: Callable[[int, int], Array], length: int, fs: float, kernel: sinc.Kernel
    ) -> Callable[[int, int], Array]:
        """``read(start, stop)`` in machine time, of a record of ``length`` samples at ``fs`` Hz
        whose first sample is at the first knot."""
        return partial(self._between, read, length, fs, kernel)

    def _between(
        self,
        read: Callable[[int, int], Array],
        length: int,
        fs: float,
        kernel: sinc.Kernel,
        start: int,
        stop: int,
    ) -> Array:
        parts = [np.empty(0)]
        for first in range(start, stop, _CHUNK):
            machine = np.arange(first, min(stop, first + _CHUNK)) / fs
            places = np.clip(self.to_clock(machine) * fs, 0, length - 1)
            parts.append(sinc.interpolated(read, length, places, kernel))
        return np.concatenate(parts)


_CHUNK = 1 << 13  # samples interpolated at once: 4 MB of taps
