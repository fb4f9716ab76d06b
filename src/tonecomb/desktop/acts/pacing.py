"""How often pictures of a live signal follow, and how much of a core they may take."""

from __future__ import annotations

import time

TICK_MS, LONGEST_MS = 18, 100
_SHARE, _SHARE_ALONE = 0.7, 0.95  # of one core, that pictures may take; of a single channel
_BREATH_S, _BREATH_OPEN_S = 2.0, 0.3
_NEWEST = 0.1  # weight of the newest picture in what is averaged


class Pacing:
    """``rate`` is that of the pictures, a second. Now and then there is a breath, in which what
    can wait (cautions, outlines, figures) follows too."""

    def __init__(self) -> None:
        self.rate = 0.0
        self._last = self._breathed = 0.0
        self.begin()

    def begin(self) -> None:
        """Count from now what pictures cost."""
        self._used, self._cost = time.thread_time(), 0.0

    def breathes(self) -> bool:
        """Whether a breath begins with the picture that is due."""
        begins = time.monotonic() - self._breathed > _BREATH_S
        if begins:
            self._breathed = time.monotonic()
        return begins

    @property
    def breathing(self) -> bool:
        """Whether it is a moment of breath."""
        return time.monotonic() - self._breathed < _BREATH_OPEN_S

    def shown(self, channels: int) -> int:
        """A picture of so many channels was shown: the time to the next, ms."""
        now = time.monotonic()
        gone, self._last = now - self._last, now
        self.rate += _NEWEST * (1 / max(gone, 1e-3) - self.rate)
        used = time.thread_time()  # by the picture before, with its painting
        self._cost += _NEWEST * (min(used - self._used, 1.0) - self._cost)
        self._used = used
        share = _SHARE if channels > 1 else _SHARE_ALONE
        return max(TICK_MS, min(round(1000 * self._cost / share), LONGEST_MS))
