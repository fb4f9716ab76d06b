"""Packets of the Real-time Transport Protocol (RFC 3550) with linear samples: L16 (RFC 3551) and
L24 (RFC 3190), big-endian, the channels of an instant side by side."""

from __future__ import annotations

import struct
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.live.source import Frames

VERSION = 2
WIDTHS = {"L16": 2, "L24": 3}
"""Bytes of a sample by encoding."""
MOST_BYTES = 1400
"""Of samples in a packet that we send, so that no network has to cut it."""
_HEAD = struct.Struct("!BBHII")


@dataclass(frozen=True)
class Packet:
    """``sequence`` counts packets (16 bits), ``timestamp`` samples (32 bits), each from any number;
    ``source`` tells streams apart (SSRC)."""

    payload_type: int
    sequence: int
    timestamp: int
    source: int
    payload: bytes


def parse(data: bytes) -> Packet | None:
    """The packet in a datagram, None where it is none: extensions, contributing sources and padding
    are stepped over (RFC 3550, 5.1 and 5.3.1)."""
    if len(data) < _HEAD.size:
        return None
    first, second, sequence, timestamp, source = _HEAD.unpack_from(data)
    if first >> 6 != VERSION:
        return None
    at, end = _HEAD.size + 4 * (first & 0x0F), len(data)
    if first & 0x10:  # an extension, whose length is in words
        if end < at + 4:
            return None
        at += 4 + 4 * int.from_bytes(data[at + 2 : at + 4], "big")
    if first & 0x20:  # padding, whose length is the last byte
        padding = data[-1]
        if not 0 < padding <= end - at:
            return None
        end -= padding
    if at > end:
        return None
    return Packet(second & 0x7F, sequence, timestamp, source, data[at:end])


def built(packet: Packet) -> bytes:
    """A packet as it is sent."""
    head = _HEAD.pack(
        VERSION << 6,
        packet.payload_type & 0x7F,
        packet.sequence & 0xFFFF,
        packet.timestamp & 0xFFFFFFFF,
        packet.source & 0xFFFFFFFF,
    )
    return head + packet.payload


def decoded(payload: bytes, encoding: str, channels: int) -> Frames | None:
    """Samples as shares of full scale; None where the payload does not hold whole instants."""
    width = WIDTHS[encoding]
    if not payload or len(payload) % (width * channels):
        return None
    whole: NDArray[np.int32] | NDArray[np.int16]
    if encoding == "L16":
        whole = np.frombuffer(payload, ">i2").astype(np.int16)
    else:
        # Three bytes at the upper end of four, so that the sign comes along.
        wide = np.zeros((len(payload) // 3, 4), np.uint8)
        wide[:, :3] = np.frombuffer(payload, np.uint8).reshape(-1, 3)
        whole = wide.view(">i4")[:, 0].astype(np.int32) >> 8
    scale = np.float32(1.0 / (1 << (8 * width - 1)))
    return np.asarray(whole.astype(np.float32) * scale).reshape(-1, channels)


def encoded(frames: NDArray[np.floating], encoding: str) -> bytes:
    """Samples (shares of full scale, shape (samples, channels)) as a payload; what is beyond full
    scale is held to it."""
    width = WIDTHS[encoding]
    top = 1 << (8 * width - 1)
    whole = np.clip(np.rint(np.asarray(frames, np.float64) * top), -top, top - 1)
    if encoding == "L16":
        return whole.astype(">i2").tobytes()
    wide = (whole.astype(np.int64) << 8).astype(">i4").reshape(-1, 1)
    return wide.view(np.uint8).reshape(-1, 4)[:, :3].tobytes()
