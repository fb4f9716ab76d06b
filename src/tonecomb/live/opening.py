"""Opening a source by what the user calls it."""

from __future__ import annotations

import ipaddress
import re
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.formats.registry import open_recording
from tonecomb.live import sdp
from tonecomb.live.network import NetworkSource
from tonecomb.live.played import PlayedSource
from tonecomb.live.sound_in import PREFIX, SoundInput
from tonecomb.live.source import LiveSource

_RTP = re.compile(r"^rtp://\[?([0-9a-fA-F.:]+?)\]?:(\d+)(?:/(L16|L24)/(\d+)/(\d+))?$")
_TIMES = re.compile(r"^(.*)@(\d+(?:\.\d*)?|\.\d+)$")
KNOWN = (
    "a .sdp file, rtp://127.0.0.1:PORT/L24/RATE/CHANNELS, sound:NAME, or a recording, like "
    "run-up.flac@2"
)


def open_source(text: str) -> LiveSource:
    """The source of a ``.sdp`` file, of ``sound:NAME``, of ``rtp://ADDRESS:PORT/ENCODING/RATE/
    CHANNELS``, or of a file played as if live, ``@`` times as fast. :class:`UserError` where there
    is none."""
    if text.lower().endswith(".sdp"):
        return NetworkSource.of(sdp.load(Path(text)))
    if text.startswith(PREFIX):
        return SoundInput.of(text[len(PREFIX) :].strip())
    if text.startswith("rtp:"):
        return NetworkSource.of(_addressed(text))
    times = _TIMES.match(text)
    path, speed = (
        (text, 1.0) if Path(text).exists() or times is None else (times[1], float(times[2]))
    )
    if not 0 < speed <= 1000:
        raise UserError(
            f"A recording cannot be played {speed:g} times as fast",
            remedy="give a number above 0, up to 1000",
        )
    if not Path(path).exists():
        raise UserError(f"{text} is no source", remedy=f"give {KNOWN}")
    return PlayedSource.of(open_recording(path), speed)


def _addressed(text: str) -> sdp.Session:
    match = _RTP.match(text)
    try:
        if match is None:
            raise ValueError
        address, port = str(ipaddress.ip_address(match[1])), int(match[2])
        encoding, rate, channels = (match[3] or "L24"), int(match[4] or 48000), int(match[5] or 1)
    except ValueError as error:
        raise UserError(f"{text} is no address of a stream", remedy=f"give {KNOWN}") from error
    described = sdp.Session("stream", address, port, 97, encoding, rate, channels).text()
    return sdp.parsed(described, "stream")
