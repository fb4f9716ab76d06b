"""WAV files, read in blocks through libsndfile.

The unit and the names of the channels are kept in the standard comment field (LIST/INFO ICMT)
as ``channels: Motor DE [m/s²]; Bullwheel [m/s²]``.
"""

from __future__ import annotations

import re
import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tonecomb.core.errors import UserError
from tonecomb.core.progress import Progress
from tonecomb.core.recording import Array, Channel, Recording
from tonecomb.core.units import FULL_SCALE, find_unit, unit
from tonecomb.formats.atomic import make_folder, reason

_CHANNELS = re.compile(r"channels:\s*(.+)", re.IGNORECASE)
_ENTRY = re.compile(r"^(.*?)\s*(?:\[([^\]]*)\])?$")
_UNKNOWN_SIZES = (0, 0xFFFFFFFF)  # left by programs that write to a pipe


def sniff(start: bytes) -> bool:
    """Whether the first bytes are those of a RIFF/WAVE file."""
    return start[:4] == b"RIFF" and start[8:12] == b"WAVE"


@dataclass(frozen=True)
class WavSamples:
    """Opens the file for each block: no handle to share between threads, and a file that
    vanished or shrank is noticed."""

    path: Path
    length: int

    def read(self, channel: int, start: int, stop: int) -> Array:
        import soundfile

        try:
            with soundfile.SoundFile(self.path) as file:
                file.seek(start)
                block = file.read(stop - start, dtype="float64", always_2d=True)
        except (soundfile.LibsndfileError, OSError) as error:
            raise UserError(
                f"{self.path} can no longer be read",
                "it was moved, removed or changed since it was opened",
                "put it back or open it again",
            ) from error
        if len(block) < stop - start:
            raise UserError(
                f"{self.path} is shorter than when it was opened", remedy="open it again"
            )
        return np.ascontiguousarray(block[:, channel])


def open_wav(path: Path, progress: Progress) -> Recording:
    """Open a WAV file of any sample width and channel count."""
    import soundfile

    _check_chunks(path)
    try:
        with soundfile.SoundFile(path) as file:
            rate, length, count = float(file.samplerate), file.frames, file.channels
            subtype, comment = file.subtype, file.comment
    except (soundfile.LibsndfileError, OSError) as error:
        raise UserError(
            f"{path.name} is damaged or of a kind of WAV that cannot be read",
            str(error).rpartition(":")[2].strip().lower(),
            "export it as 16, 24 or 32 bit PCM or as float",
        ) from error
    if length == 0:
        raise UserError(f"{path.name} holds no samples", remedy="record or export it again")
    if rate <= 0:
        raise UserError(f"{path.name} gives a sample rate of {rate:g} Hz", remedy="export it again")
    progress(1.0)
    return Recording(
        id="",
        name=path.stem,
        format=f"WAV, {_WIDTHS.get(subtype, subtype.replace('_', ' ').lower())}",
        sample_rate=rate,
        rate_source="header",
        rate_found=f"from the file's header: {rate:g} Hz",
        length=length,
        channels=parse_channels(comment, count),
        samples=WavSamples(path, length),
        path=path,
    )


_WIDTHS = {
    "PCM_U8": "8 bit",
    "PCM_16": "16 bit",
    "PCM_24": "24 bit",
    "PCM_32": "32 bit",
    "FLOAT": "32 bit float",
    "DOUBLE": "64 bit float",
}


def parse_channels(comment: str, count: int) -> tuple[Channel, ...]:
    """Names and units from the comment; what it does not tell is ``channel n`` in FS."""
    names: list[Channel] = []
    found = _CHANNELS.search(comment or "")
    for entry in found.group(1).split(";") if found else []:
        match = _ENTRY.match(entry.strip())
        name, text = match.groups() if match else (entry, None)
        names.append(Channel(name.strip(), find_unit(text or "") or FULL_SCALE))
    if len(names) != count:
        return tuple(Channel(f"channel {i + 1}", FULL_SCALE) for i in range(count))
    return tuple(
        Channel(channel.name or f"channel {i + 1}", channel.unit) for i, channel in enumerate(names)
    )


def _check_chunks(path: Path) -> None:
    """Refuse a file whose header promises more than it holds; libsndfile would not say."""
    size = path.stat().st_size
    rate = bytes_per_frame = None
    with path.open("rb") as file:
        file.seek(12)
        while len(head := file.read(8)) == 8:
            name, length = struct.unpack("<4sI", head)
            here = file.tell()
            if name == b"fmt ":
                fmt = file.read(min(length, 16))
                if len(fmt) < 16:
                    break
                rate, bytes_per_frame = struct.unpack("<4xI4xH2x", fmt)
            if name == b"data":
                if bytes_per_frame is None:
                    raise UserError(
                        f"{path.name} is damaged",
                        "its header does not describe the samples",
                        "record or export it again",
                    )
                if length not in _UNKNOWN_SIZES and here + length > size:
                    whole = length // max(bytes_per_frame, 1)
                    held = (size - here) // max(bytes_per_frame, 1)
                    raise UserError(
                        f"{path.name} is cut short",
                        f"its header promises {whole} samples per channel "
                        f"({whole / max(rate or 1, 1):.4g} s) but the file holds {held}",
                        "copy or record it again",
                    )
                return
            file.seek(here + length + (length & 1))
    raise UserError(
        f"{path.name} is cut short or damaged",
        "it ends before any samples",
        "copy or record it again",
    )


def _forget_time(path: Path) -> None:
    """Blank the time of writing in the PEAK chunk, so that the same samples give the same file."""
    with path.open("r+b") as file:
        at = file.read(1 << 12).find(b"PEAK")
        if at >= 0:
            file.seek(at + 12)
            file.write(bytes(4))


def write_wav(path: Path, rate: int, channels: tuple[Channel, ...], columns: list[Array]) -> None:
    """Write a 32 bit float WAV with the channels' names and units in its comment."""
    import soundfile

    make_folder(path.parent)
    comment = "channels: " + "; ".join(f"{c.name} [{unit(c.unit).symbol}]" for c in channels)
    partial = path.with_name(f".{path.name}.part")
    try:
        with soundfile.SoundFile(
            partial, "w", samplerate=rate, channels=len(columns), format="WAV", subtype="FLOAT"
        ) as file:
            file.comment = comment
            file.write(np.stack(columns, axis=1).astype(np.float32))
        _forget_time(partial)
        partial.replace(path)
    except (soundfile.LibsndfileError, OSError) as error:
        partial.unlink(missing_ok=True)
        why = reason(error) if isinstance(error, OSError) else str(error)
        raise UserError(f"{path} could not be written", why, "choose another place") from error
