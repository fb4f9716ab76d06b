"""Putting packets in their places: by their time stamps, whatever order they come in.

What is lacking is waited for, and then told as lost; nothing is closed up. Time stamps (32 bits)
and sequence numbers (16 bits) are carried on across their wraps.
"""

from __future__ import annotations

from collections import OrderedDict

from tonecomb.live.source import Block, Counts, Frames

MOST_WAITING = 2.0
"""Seconds of samples that may wait for what is lacking before them: a bound on memory too."""
_PATIENCE = 0.1  # s that a hole is waited for
_FAR = 10.0  # s of samples from where a stream is: further off it is another stream
_SEEN = 4096  # sequence numbers that are remembered


class Placing:
    """Of one stream of samples at ``rate`` Hz. Times are those of any steady clock, in s."""

    def __init__(self, rate: float, counts: Counts) -> None:
        self._rate, self.counts = rate, counts
        self.next = 0  # the sample that is to be told next
        self._stamp: int | None = None  # of the sample ``_place``
        self._place = 0
        self._sequence: int | None = None
        self._seen: OrderedDict[int, None] = OrderedDict()
        self._waiting: dict[int, tuple[float, Frames]] = {}
        self._came = 0.0

    def take(self, sequence: int, timestamp: int, frames: Frames, now: float) -> bool:
        """A packet; False where its stamp is so far off that it belongs to another stream, which
        :meth:`rejoin` makes this one."""
        if self._stamp is None:
            self._stamp, self._place, self._sequence = timestamp, self.next, sequence
            self._seen.clear()
        place = self._place + _signed(timestamp - self._stamp, 32)
        if abs(place - self._place) > _FAR * self._rate:
            return False
        self._count(sequence)
        self._came = now
        if place >= self._place:
            self._stamp, self._place = timestamp, place
        if place < self.next:
            cut = self.next - place
            if cut >= len(frames):
                return True  # told as lost already, or there twice
            place, frames = self.next, frames[cut:]
        self._waiting.setdefault(place, (now, frames))
        return True

    @property
    def newest(self) -> int:
        """The sample of the newest packet."""
        return self._place

    def rejoin(self, now: float) -> list[Block]:
        """The stream went away and comes back as another: what still waited, and what was missed
        meanwhile, as long as the clock says."""
        blocks = self.ready(now, all_of_it=True)
        missed = max(0, round((now - self._came) * self._rate))
        if missed and self._stamp is not None:
            blocks.append(self._hole(self.next + missed))
        self.counts.joined += 1
        self._stamp = self._sequence = None
        return blocks

    def _count(self, sequence: int) -> None:
        assert self._sequence is not None
        if sequence in self._seen:
            self.counts.twice += 1
            return
        ahead = _signed(sequence - self._sequence, 16)
        self.counts.taken += 1
        if ahead > 1:
            self.counts.lost += ahead - 1
        elif ahead < 0:  # it was counted as lost when a later one came
            self.counts.late += 1
            self.counts.lost = max(0, self.counts.lost - 1)
        if ahead > 0 or not self._seen:
            self._sequence = sequence
        self._seen[sequence] = None
        while len(self._seen) > _SEEN:
            self._seen.popitem(last=False)

    def ready(self, now: float, *, all_of_it: bool = False) -> list[Block]:
        """What can be told now: what is there without a hole, and holes that were waited for long
        enough; with ``all_of_it`` also what still waits."""
        blocks: list[Block] = []
        while self._waiting:
            place = min(self._waiting)
            came, frames = self._waiting[place]
            if place > self.next:
                behind = max(p + len(f) for p, (_, f) in self._waiting.items()) - self.next
                late = now - came > _PATIENCE or behind > MOST_WAITING * self._rate
                if not late and not all_of_it:
                    break
                blocks.append(self._hole(place))
            del self._waiting[place]
            frames = frames[self.next - place :]
            if len(frames):
                blocks.append(Block(self.next, len(frames), frames))
                self.next += len(frames)
        return blocks

    def _hole(self, end: int) -> Block:
        hole = Block(self.next, end - self.next, None)
        self.counts.lost_samples += hole.length
        self.next = end
        return hole


def _signed(difference: int, bits: int) -> int:
    """The nearest difference of two numbers that wrap after so many bits."""
    half = 1 << (bits - 1)
    return (difference + half) % (1 << bits) - half
