"""Sound that is coded: what loses something, and files that end before their last sample."""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock

from tonecomb.core.base.errors import UserError

# subtype of libsndfile: in words
LOSSY = {
    "VORBIS": "Vorbis",
    "OPUS": "Opus",
    "MPEG_LAYER_I": "MPEG layer 1",
    "MPEG_LAYER_II": "MPEG layer 2",
    "MPEG_LAYER_III": "MP3",
    "ULAW": "µ-law",
    "ALAW": "A-law",
    "IMA_ADPCM": "ADPCM",
    "MS_ADPCM": "ADPCM",
    "NMS_ADPCM_16": "ADPCM",
    "NMS_ADPCM_24": "ADPCM",
    "NMS_ADPCM_32": "ADPCM",
    "VOX_ADPCM": "ADPCM",
    "GSM610": "GSM 6.10",
    "G721_32": "G.721",
    "G723_24": "G.723",
    "G723_40": "G.723",
}
BY_SAMPLE = ("ULAW", "ALAW")
"""Those that take each sample by itself: they add noise, and hide nothing."""
_QUIET = Lock()
_TAIL = 1 << 17  # longer than an Ogg page
_LAST_PAGE = 4
_FRAMES, _BYTES = 1, 2


def told(subtype: str) -> str:
    """What there is to say about samples that were coded so; "" where nothing was lost."""
    if subtype not in LOSSY:
        return ""
    if subtype in BY_SAMPLE:
        return f"Coded with loss ({LOSSY[subtype]}): its noise rises and falls with the signal."
    return (
        f"Coded with loss ({LOSSY[subtype]}): what lies close under a louder tone is not in it, "
        f"and what little is there may be the coder's own."
    )


@contextmanager
def quiet() -> Iterator[None]:
    """While a library decodes that prints what it thinks of a damaged file: it has no other
    switch than the descriptor that it prints to."""
    with _QUIET, Path(os.devnull).open("wb") as nowhere:
        kept = os.dup(2)
        try:
            os.dup2(nowhere.fileno(), 2)
            yield
        finally:
            os.dup2(kept, 2)
            os.close(kept)


def check_whole(path: Path) -> None:
    """Raise :class:`UserError` for an Ogg, MP3 or AU file that ends before its samples do:
    libsndfile takes what is there without a word."""
    size = path.stat().st_size
    with path.open("rb") as file:
        start = file.read(4096)
        file.seek(max(0, size - _TAIL))
        end = file.read(_TAIL)
    why = ""
    if start[:4] == b"OggS":
        last = end.rfind(b"OggS")
        if last < 0 or len(end) < last + 27 or not end[last + 5] & _LAST_PAGE:
            why = "its last page is lacking"
        else:
            segments = end[last + 27 : last + 27 + end[last + 26]]
            whole = last + 27 + end[last + 26] + sum(segments)
            why = "its last page is not whole" if whole > len(end) else ""
    elif start[:4] == b".snd" and len(start) >= 12:
        first, promised = struct.unpack(">II", start[4:12])
        if promised != 0xFFFFFFFF and first + promised > size:
            why = f"its header promises {promised} bytes of samples but it holds {size - first}"
    elif (promised := _stated_bytes(start)) > size:
        why = f"its header promises {promised} bytes but it holds {size}"
    if why:
        raise UserError(f"{path.name} is cut short", why, "copy or record it again")


def _stated_bytes(start: bytes) -> int:
    """The size that an MP3 file's first frame states (Xing, "VBR headers", 1999), 0 without."""
    at = max(start.find(b"Xing"), start.find(b"Info"))
    if at < 0 or len(start) < at + 16:
        return 0
    (flags,) = struct.unpack(">I", start[at + 4 : at + 8])
    if not flags & _BYTES:
        return 0
    at += 8 + 4 * (flags & _FRAMES)
    return int.from_bytes(start[at : at + 4], "big")
