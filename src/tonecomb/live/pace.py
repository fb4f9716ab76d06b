"""How fast samples come, by this machine's clock: a source whose rate is not what it says.

The place of the newest sample against the time that it came, at both ends of a span: packets are
late by what the network makes of it, never early, so the earliest of each end tells the rate.
"""

from __future__ import annotations

from collections import deque

_SPAN_S = 30.0  # over which it is judged
_LEAST_S = 10.0
_EVERY_S = 0.5
_TOLD_PPM = 500  # from which it is told: more than clocks of quartz are apart


class Pace:
    """Of a source that says ``rate`` Hz."""

    def __init__(self, rate: float) -> None:
        self._rate = rate
        self._ends: deque[tuple[float, float]] = deque()  # when, and how late by the rate said
        self._slot: tuple[float, float] | None = None
        self._ppm = 0

    def take(self, place: int, now: float) -> int:
        """The newest sample's number, and when it came (s). By how many parts in a million they
        come too fast, 0 where that is little or not sure."""
        late = now - place / self._rate
        if self._slot is None or late < self._slot[1]:
            self._slot = (now if self._slot is None else self._slot[0], late)
        if now - self._slot[0] < _EVERY_S:
            return self._ppm
        self._ends.append(self._slot)
        self._slot = None
        while self._ends[-1][0] - self._ends[0][0] > _SPAN_S:
            self._ends.popleft()
        self._ppm = self._judge()
        return self._ppm

    def _judge(self) -> int:
        ends = list(self._ends)
        span = ends[-1][0] - ends[0][0]
        if span < _LEAST_S:
            return 0
        part = max(2, len(ends) // 3)
        first, last = (min(late for _, late in some) for some in (ends[:part], ends[-part:]))
        apart = span * (1 - 1 / 3)
        ppm = round(-1e6 * (last - first) / apart)
        # Of a third of the span nothing is known but that the delay was some milliseconds.
        return ppm if abs(ppm) > max(_TOLD_PPM, 1e6 * 0.005 / apart) else 0
