"""A network stream: RTP over UDP, listened to where its description says."""

from __future__ import annotations

import contextlib
import ipaddress
import socket
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.formats.sound import parse_channels
from tonecomb.live.pace import Pace
from tonecomb.live.placing import Placing
from tonecomb.live.rtp import decoded, parse
from tonecomb.live.sdp import Session
from tonecomb.live.source import Block, Described, LiveSource

BUFFER = 8 << 20
"""Bytes that are asked for between network and us: a second of 32 channels."""
_WAIT = 0.02  # s that nothing has to come, until what is ready is told
_AWAY = 1.0  # s after which another sender may take the place of one that is silent
_LARGEST = 65536
_OVERFLOW = 40  # SO_RXQ_OVFL of Linux: how many packets did not find room


@dataclass
class NetworkSource(LiveSource):
    """``sizes`` are what full scale stands for in each channel; ``granted`` are the bytes of buffer
    that the system gave, ``port`` where it listens."""

    session: Session = field(default_factory=Session)
    sizes: tuple[float, ...] = (1.0,)
    granted: int = 0
    port: int = 0

    @classmethod
    def of(cls, session: Session) -> NetworkSource:
        """The stream of a description."""
        said = parse_channels(session.says, session.channels)
        channels = tuple(channel for channel, _ in said)
        described = Described(session.name, float(session.rate), channels)
        return cls(described, session=session, sizes=tuple(size for _, size in said))

    def __post_init__(self) -> None:
        s = self.session  # whose port may be 0, for any that is free
        family = socket.AF_INET6 if ":" in s.address else socket.AF_INET
        self._socket = socket.socket(family, socket.SOCK_DGRAM)
        try:
            self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, BUFFER)
            with contextlib.suppress(OSError):  # where the system does not count
                self._socket.setsockopt(socket.SOL_SOCKET, _OVERFLOW, 1)
            self._socket.bind((s.address, s.port))
            if (address := ipaddress.ip_address(s.address)).is_multicast:
                self._join(address)
        except OSError as error:
            self._socket.close()
            raise UserError(
                f"{s.name} cannot be listened to at {s.address}, port {s.port}",
                (error.strerror or str(error)).lower(),
                "close what listens there already, or choose another port",
            ) from error
        self.granted = self._socket.getsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF)
        self.port = self._socket.getsockname()[1]
        self._socket.settimeout(_WAIT)

    def _join(self, group: ipaddress.IPv4Address | ipaddress.IPv6Address) -> None:
        """Have the system hand over what is sent to a group (RFC 1112, RFC 3493)."""
        if group.version == 6:
            member = group.packed + bytes(4)  # by any interface
            self._socket.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_JOIN_GROUP, member)
        else:
            member = group.packed + socket.inet_aton("0.0.0.0")
            self._socket.setsockopt(socket.IPPROTO_IP, socket.IP_ADD_MEMBERSHIP, member)

    def blocks(self, stopped: Callable[[], bool]) -> Iterator[Block]:
        placing = Placing(self.session.rate, self.counts)
        pace = Pace(self.session.rate)
        sender: tuple[str, int] | None = None  # address and stream that are listened to
        heard = time.monotonic()
        while not stopped():
            try:
                data, said, _, address = self._socket.recvmsg(_LARGEST, 64)
            except TimeoutError:
                yield from placing.ready(time.monotonic())
                continue
            except OSError:
                break  # it was closed
            now = time.monotonic()
            for level, kind, dropped in said:
                if (level, kind) == (socket.SOL_SOCKET, _OVERFLOW):
                    self.counts.overrun = int.from_bytes(dropped[:4], sys.byteorder)
            packet = parse(data)
            if packet is None:
                self.counts.malformed += 1
                continue
            this = (address[0], packet.source)
            wanted = packet.payload_type == self.session.payload_type
            if not wanted or (sender not in (None, this) and now - heard < _AWAY):
                self.counts.foreign += 1
                continue
            frames = decoded(packet.payload, self.session.encoding, self.session.channels)
            if frames is None:
                self.counts.malformed += 1
                continue
            if sender not in (None, this):
                yield from placing.rejoin(now)
                pace = Pace(self.session.rate)
            sender, heard = this, now
            frames = frames * np.array(self.sizes, np.float32)
            if not placing.take(packet.sequence, packet.timestamp, frames, now):
                yield from placing.rejoin(now)
                pace = Pace(self.session.rate)
                placing.take(packet.sequence, packet.timestamp, frames, now)
            self.counts.rate_ppm = pace.take(placing.newest, now)
            yield from placing.ready(now)
        yield from placing.ready(time.monotonic(), all_of_it=True)

    def close(self) -> None:
        super().close()
        self._socket.close()
