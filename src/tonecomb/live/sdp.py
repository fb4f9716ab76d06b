"""Descriptions of streams by the Session Description Protocol (RFC 8866).

Names and units of the channels stand in the medium's information line as they do in our sound
files: ``i=channels: Motor DE [50 m/s²]; …``, with what full scale stands for.
"""

from __future__ import annotations

import ipaddress
import re
from dataclasses import dataclass, replace
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.formats import files
from tonecomb.live.rtp import WIDTHS

LOOPBACK = "127.0.0.1"
MOST_CHANNELS = 32
_MOST_BYTES = 1 << 16
_MAP = re.compile(r"^rtpmap:(\d+) +([\w-]+)/(\d+)(?:/(\d+))?$")
_STATIC = {10: ("L16", 44100, 2), 11: ("L16", 44100, 1)}
"""Types that need no map (RFC 3551, table 4)."""


@dataclass(frozen=True)
class Session:
    """A stream of ``channels`` at ``rate`` Hz, sent to ``address`` and ``port``. ``says`` is the
    information line of its medium."""

    name: str = "node"
    address: str = LOOPBACK
    port: int = 5004
    payload_type: int = 97
    encoding: str = "L24"
    rate: int = 48000
    channels: int = 1
    says: str = ""

    def text(self) -> str:
        """As a file."""
        family = f"IP{ipaddress.ip_address(self.address).version}"
        lines = [
            "v=0",
            f"o=- 0 0 IN {family} {self.address}",
            f"s={self.name}",
            f"c=IN {family} {self.address}",
            "t=0 0",
            f"m=audio {self.port} RTP/AVP {self.payload_type}",
        ]
        lines += [f"i={self.says}"] * bool(self.says)
        lines.append(f"a=rtpmap:{self.payload_type} {self.encoding}/{self.rate}/{self.channels}")
        return "".join(line + "\r\n" for line in lines)


def parsed(text: str, what: str) -> Session:
    """The first audio stream of a description; ``what`` names it in sentences.

    Raises :class:`UserError` for one that cannot be listened to.
    """
    session = Session(name=what)
    formats: list[int] = []
    maps: dict[int, tuple[str, int, int]] = dict(_STATIC)
    in_audio = seen = False
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if not lines or lines[0] != "v=0":
        raise _unusable(what, "it does not begin with v=0")
    for line in lines:
        key, _, value = line.partition("=")
        if key == "m":
            if seen:
                break  # further media are none of ours
            in_audio = seen = value.startswith("audio ")
            if in_audio:
                session, formats = _media(session, value, what)
        elif key == "s" and not seen:
            session = replace(session, name=" ".join(value.split())[:80] or what)
        elif key == "c":
            session = replace(session, address=_address(value, what))
        elif key == "i" and in_audio:
            session = replace(session, says=value[:4000])
        elif key == "a" and in_audio and (match := _MAP.match(value)):
            number, encoding, rate, channels = match.groups()
            maps[int(number)] = (encoding.upper(), int(rate), int(channels or 1))
    if not seen:
        raise _unusable(what, "it describes no audio")
    known = next((n for n in formats if n in maps and maps[n][0] in WIDTHS), None)
    if known is None:
        raise _unusable(what, "its samples are neither L16 nor L24")
    encoding, rate, channels = maps[known]
    if not (1 <= channels <= MOST_CHANNELS and 1 <= rate <= 10_000_000):
        raise _unusable(what, f"it has {channels} channels at {rate} Hz")
    return replace(session, payload_type=known, encoding=encoding, rate=rate, channels=channels)


def _media(found: Session, value: str, what: str) -> tuple[Session, list[int]]:
    words = value.split()
    try:
        port, protocol = int(words[1].partition("/")[0]), words[2]
        formats = [int(one) for one in words[3:]]
    except (IndexError, ValueError) as error:
        raise _unusable(what, f"‘m={value[:60]}’ is no medium") from error
    if protocol != "RTP/AVP" or not 0 < port < 65536:
        raise _unusable(what, f"it comes by {protocol} to port {port}")
    return replace(found, port=port), formats


def _address(value: str, what: str) -> str:
    words = value.split()
    try:
        return str(ipaddress.ip_address(words[2].partition("/")[0]))
    except (IndexError, ValueError) as error:
        raise _unusable(what, f"‘c={value[:60]}’ is no address") from error


def load(path: Path) -> Session:
    """The stream that a file describes; raises :class:`UserError` as :func:`parsed` does."""
    with files.opened(path) as file:
        data = file.read(_MOST_BYTES + 1)
    if len(data) > _MOST_BYTES:
        raise _unusable(path.name, "it is too long")
    return parsed(data.decode("utf-8", errors="replace"), path.stem)


def _unusable(what: str, why: str) -> UserError:
    return UserError(
        f"{what} describes no stream that can be listened to",
        why,
        "use RTP with L16 or L24 and 1 to 32 channels",
    )
