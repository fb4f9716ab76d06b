"""The simulated sensor node: the ropeway's drive as it runs, sent as a network stream.

Everything is invented. The motor's speed can be changed while it runs, and faults put in: a sheave
bearing, packets that are lost or change places.
"""

from __future__ import annotations

import socket
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from tonecomb.core.record.recording import Array, Channel
from tonecomb.demo import signals
from tonecomb.formats.sound import said_of
from tonecomb.live import rtp, sdp

NAMES = ("Motor DE", "Gearbox DE", "Bullwheel")
FULL_SCALE = 50.0
"""m/s² of a channel at full scale."""
SPEEDS = (1.0, 60.0)
_SLEW = 1.0  # Hz a second, at most, by which the motor's speed changes
_STREAM = 0x514B0001
AT_ONCE_S = 0.02  # that is made at once
# Peak amplitudes in m/s² of multiples of the motor's turns, by channel.
_LINES: tuple[dict[int, float], ...] = (
    {1: 0.88, 2: 0.44, 3: 0.17, 4: 0.08, 17: 0.17},
    {1: 0.51, 2: 0.25, 3: 0.10, 15: 0.10, 16: 0.35, 17: 1.27, 18: 0.44, 19: 0.16, 34: 0.25},
    {1: 0.16, 2: 0.07, 16: 0.04, 17: 0.23, 18: 0.05},
)
_NOISE = (0.09, 0.11, 0.06)  # rms, m/s²


@dataclass
class Ropeway:
    """Samples of the drive that go on from call to call. ``speed`` (Hz) is where the motor goes,
    ``bearing`` whether a sheave's is broken."""

    rate: float = 12800.0
    channels: int = 3
    speed: float = signals.MOTOR
    bearing: bool = False
    seed: int = signals.SEED
    turns: float = 0.0
    _now: float = 0.0
    _hits: float = 0.0
    _random: np.random.Generator = field(init=False)

    def __post_init__(self) -> None:
        self._random = np.random.default_rng(self.seed)
        self._now = self.speed

    @property
    def described(self) -> tuple[Channel, ...]:
        """Its channels."""
        names = (f"{NAMES[i % 3]}{'' if i < 3 else f' {i // 3 + 1}'}" for i in range(self.channels))
        return tuple(Channel(name, "m/s²") for name in names)

    def make(self, count: int) -> Array:
        """The next samples, shape (count, channels), in m/s²."""
        step = _SLEW / self.rate
        there = self._now + np.sign(self.speed - self._now) * step * np.arange(1, count + 1)
        low, high = sorted((self._now, self.speed))
        speed = np.clip(there, low, high)
        turns = self.turns + np.cumsum(speed) / self.rate
        self._now, self.turns = float(speed[-1]), float(turns[-1])
        values = np.empty((count, self.channels))
        for i in range(self.channels):
            x = _NOISE[i % 3] * self._random.standard_normal(count)
            for order, size in _LINES[i % 3].items():
                x += size * np.cos(2 * np.pi * order * turns + 0.7 * order + i)
            values[:, i] = x
        if self.bearing:
            values[:, min(2, self.channels - 1)] += self._bearing(count)
        return values

    def _bearing(self, count: int) -> Array:
        """A hit for each rolling element, which rings for some milliseconds."""
        t = self._hits + np.arange(1, count + 1) / self.rate
        since = (t * signals.BEARING) % 1.0 / signals.BEARING
        self._hits = float(t[-1])
        w = 2 * np.pi * signals.RINGING
        ring = np.exp(-w * signals.RINGING_DAMPING * since) * np.sin(w * since)
        return np.asarray(2.2 * ring)


@dataclass
class Node:
    """Sends a :class:`Ropeway` to an address: of its packets ``loss`` % are not sent, and ``swap``
    % change places with the next."""

    ropeway: Ropeway
    address: str = sdp.LOOPBACK
    port: int = 5004
    encoding: str = "L24"
    loss: float = 0.0
    swap: float = 0.0
    seed: int = 0
    first_sequence: int = 0
    first_stamp: int = 0
    sent: int = 0
    dropped: list[int] = field(default_factory=list)
    """Numbers of the packets that were not sent, the last ten thousand."""

    @property
    def session(self) -> sdp.Session:
        """What it sends, as a description."""
        r = self.ropeway
        said = said_of(r.described, (FULL_SCALE,) * r.channels)
        return sdp.Session(
            "ropeway node",
            self.address,
            self.port,
            97,
            self.encoding,
            round(r.rate),
            r.channels,
            said,
        )

    @property
    def frames(self) -> int:
        """Samples in a packet."""
        return max(1, rtp.MOST_BYTES // (rtp.WIDTHS[self.encoding] * self.ropeway.channels))

    def run(self, stopped: Callable[[], bool], *, paced: bool = True) -> None:
        """Send until ``stopped`` says so, in time or, not ``paced``, as fast as it goes."""
        rate, size = self.ropeway.rate, self.frames
        chance = np.random.default_rng(self.seed)
        family = socket.AF_INET6 if ":" in self.address else socket.AF_INET
        held: bytes | None = None
        started = time.monotonic()
        with socket.socket(family, socket.SOCK_DGRAM) as out:
            number = 0
            ready: deque[bytes] = deque()
            many = max(1, round(AT_ONCE_S * rate / size))
            while not stopped():
                if not ready:
                    values = self.ropeway.make(many * size) / FULL_SCALE
                    ready += [rtp.encoded(one, self.encoding) for one in np.split(values, many)]
                packet = rtp.built(
                    rtp.Packet(
                        97,
                        self.first_sequence + number,
                        self.first_stamp + number * size,
                        _STREAM,
                        ready.popleft(),
                    )
                )
                drawn = chance.uniform(0, 100, 2)
                number += 1
                due = started + number * size / rate
                if paced and (ahead := due - time.monotonic()) > 0:
                    time.sleep(ahead)
                if drawn[0] < self.loss:
                    self.dropped = [*self.dropped[-9_999:], number - 1]
                    continue
                if held is None and drawn[1] < self.swap:
                    held = packet
                    continue
                self._send(out, packet)
                if held is not None:
                    self._send(out, held)
                    held = None

    def _send(self, out: socket.socket, packet: bytes) -> None:
        try:
            out.sendto(packet, (self.address, self.port))
            self.sent += 1
        except ConnectionRefusedError:
            self.sent += 1  # nobody listens yet
