"""Sound-file containers: WAV, RF64, W64, AIFF, CAF, AU, FLAC, Ogg and MP3, read in blocks
through libsndfile.

Names and units of the channels are kept in the container's comment field (in WAV, LIST/INFO
ICMT) as ``channels: Motor DE [m/s²]; Bullwheel [m/s²]``, in containers of whole numbers with
what full scale stands for: ``Motor DE [50 m/s²]``. Lines that begin with ``start:`` and
``comment:`` keep the start (ISO 8601) and a remark.
"""

from __future__ import annotations

import os
import re
import struct
from collections.abc import Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part
from tonecomb.core.base.units import FULL_SCALE, find_unit, unit
from tonecomb.core.method.given import Import
from tonecomb.core.record.recording import Array, Channel, Problem, Recording, Samples
from tonecomb.core.record.resampling import Affine
from tonecomb.formats import atomic, coded
from tonecomb.formats.contents import Contents, FileColumn

_CHANNELS = re.compile(r"channels:[ \t]*(.+)", re.IGNORECASE)
_MOST_LETTERS = 300  # of what is said of a channel
_MOST_SIZE = 1e30  # that full scale may stand for
_ENTRY = re.compile(r"^(.*?)\s*(?:\[\s*(\d+(?:\.\d+)?(?:e[+-]?\d+)?(?=\s))?\s*([^\]]*)\])?$")
_PLAIN = str.maketrans(";[]\n", ",() ")  # what would end an entry
_START = re.compile(r"^start: *(\S+)", re.MULTILINE)
_REMARK = re.compile(r"^comment: *(.+)", re.MULTILINE)
_BLOCK = 1 << 18
_DECODED = 1 << 20  # samples of all channels that are decoded at once, about
_MOST_CHUNKS = 10_000  # a file with more before its samples is not one
_UNKNOWN_SIZES = (0, 0xFFFFFFFF)  # left by programs that write to a pipe
OPEN_SIZE = 1 << 40
"""Bytes of samples that a recording promises which has not been ended: as many as it holds."""


@dataclass(frozen=True)
class Chunks:
    """How a container lines up its chunks: where the first begins, the shape of a chunk's head
    (name and size), whether the size counts the head, to what chunks are rounded up, and the
    name of the chunk with the samples."""

    first: int
    head: str
    counts_head: bool
    rounded: int
    samples: bytes


@dataclass(frozen=True)
class Container:
    """A container: its name, its first bytes (with None for any), its chunks, if any, and other
    first bytes that it may have."""

    name: str
    magic: tuple[int | None, ...]
    chunks: Chunks | None
    others: tuple[tuple[int, ...], ...] = ()

    def sniff(self, start: bytes) -> bool:
        """Whether a file that starts so is one of these."""
        return any(
            len(start) >= len(magic)
            and all(
                wanted is None or byte == wanted for byte, wanted in zip(start, magic, strict=False)
            )
            for magic in (self.magic, *self.others)
        )

    def open(self, path: Path, how: Import, progress: Progress) -> Contents:
        """Open a file of this container; see :func:`open_sound`."""
        return open_sound(path, self, progress)


_ANY4 = (None,) * 4
_RIFF_CHUNKS = Chunks(12, "<4sI", False, 2, b"data")
# The GUIDs of Sony's Wave64, whose first four bytes are the names of RIFF.
_W64_RIFF = bytes.fromhex("726966662e91cf11a5d628db04c10000")
_W64_DATA = bytes.fromhex("64617461f3acd3118cd100c04f8edb8a")

WAV = Container("WAV", (*b"RIFF", *_ANY4, *b"WAVE"), _RIFF_CHUNKS)
RF64 = Container("RF64", (*b"RF64", *_ANY4, *b"WAVE"), _RIFF_CHUNKS)
W64 = Container("W64", tuple(_W64_RIFF), Chunks(40, "<16sQ", True, 8, _W64_DATA))
AIFF = Container("AIFF", (*b"FORM", *_ANY4, *b"AIF"), Chunks(12, ">4sI", False, 2, b"SSND"))
CAF = Container("CAF", tuple(b"caff"), Chunks(8, ">4sq", False, 1, b"data"))
AU = Container("AU", tuple(b".snd"), None)
FLAC = Container("FLAC", tuple(b"fLaC"), None)
OGG = Container("Ogg", tuple(b"OggS"), None)
# A tag, or a frame of layer III: MPEG 1, 2 or 2.5, protected or not.
MP3 = Container(
    "MP3",
    tuple(b"ID3"),
    None,
    tuple((0xFF, second) for second in (0xFA, 0xFB, 0xF2, 0xF3, 0xE2, 0xE3)),
)

# subtype of libsndfile: (in words, bytes a sample)
_WIDTHS = {
    "PCM_S8": ("8 bit", 1),
    "PCM_U8": ("8 bit", 1),
    "PCM_16": ("16 bit", 2),
    "PCM_24": ("24 bit", 3),
    "PCM_32": ("32 bit", 4),
    "FLOAT": ("32 bit float", 4),
    "DOUBLE": ("64 bit float", 8),
}


# subtype of libsndfile: (as what its samples are read, what they stand for full scale there), so
# that of many channels only those that are wanted are made wider
_READ_AS = {
    "PCM_16": ("int16", 2.0**15),
    "PCM_24": ("int32", 2.0**31),
    "PCM_32": ("int32", 2.0**31),
    "FLOAT": ("float32", 1.0),
}


@dataclass(frozen=True)
class SoundSamples(Samples):
    """Opens the file for each block: no handle to share between threads, and a file that
    vanished or shrank is noticed. ``chatty`` where the decoder prints."""

    path: Path
    length: int
    channels: int = 1
    chatty: bool = False
    costly = True
    together = True

    @property
    def grain(self) -> int:
        return min(max(_DECODED // self.channels, 1 << 12), 1 << 18)

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.read_many((channel,), start, stop)[0]

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        import soundfile

        try:
            with (
                coded.quiet() if self.chatty else nullcontext(),
                soundfile.SoundFile(os.fsencode(self.path)) as file,
            ):
                file.seek(start)
                kind, full = _READ_AS.get(file.subtype, ("float64", 1.0))
                block = file.read(stop - start, dtype=kind, always_2d=True)
        # A seek in a damaged file may end beyond it, and what is left be less than nothing.
        except (soundfile.LibsndfileError, OSError, ValueError) as error:
            if self.path.exists():
                raise UserError(
                    f"{self.path} is damaged",
                    f"its samples from {start + 1} on cannot be read",
                    "copy or record it again",
                ) from error
            raise UserError(
                f"{self.path} can no longer be read",
                "it was moved or removed since it was opened",
                "put it back or open it again",
            ) from error
        if len(block) < stop - start:
            raise UserError(
                f"{self.path} holds fewer samples than its header promises",
                "it is cut short, or was changed since it was opened",
                "copy or record it again",
            )
        return tuple(
            np.multiply(block[:, channel], 1 / full, dtype=np.float64) for channel in channels
        )


def open_sound(path: Path, container: Container, progress: Progress) -> Contents:
    """Open a sound file of any sample width and channel count.

    Raises :class:`UserError` for a file that libsndfile cannot read, or that holds fewer
    samples than its header promises.
    """
    import soundfile

    chatty = container is MP3
    if container.chunks is None:
        coded.check_whole(path)
    held, promised = _samples_chunk(path, container)
    try:
        name = os.fsencode(path)
        with coded.quiet() if chatty else nullcontext(), soundfile.SoundFile(name) as file:
            rate, length, count = float(file.samplerate), file.frames, file.channels
            subtype, comment = file.subtype, file.comment
    except (soundfile.LibsndfileError, OSError) as error:
        raise UserError(
            f"{path.name} is damaged or of a kind of {container.name} that cannot be read",
            str(error).rpartition(":")[2].strip().lower(),
            "export it as 16, 24 or 32 bit PCM or as float",
        ) from error
    words, width = _WIDTHS.get(subtype, (subtype.replace("_", " ").lower(), 1))
    words = coded.LOSSY.get(subtype, words)
    if promised > held:
        bytes_per_frame, rate = width * count, max(rate, 1.0)
        whole = promised // bytes_per_frame
        raise UserError(
            f"{path.name} is cut short",
            f"its header promises {whole} samples per channel ({whole / rate:.4g} s) but the "
            f"file holds {held // bytes_per_frame}",
            "copy or record it again",
        )
    # What the header of a damaged file says may be anything.
    if not 0 < length < 1 << 48:
        raise UserError(f"{path.name} holds no samples", remedy="record or export it again")
    if rate <= 0:
        raise UserError(f"{path.name} gives a sample rate of {rate:g} Hz", remedy="export it again")
    samples = SoundSamples(path, length, count, chatty)
    if container.chunks is None:
        samples.read(0, length - 1, length)  # compressed: only reading tells whether it is whole
    progress(1.0)
    said = parse_channels(comment, count)
    sizes = tuple(size for _, size in said)
    return Contents(
        format=container.name if words == container.name else f"{container.name}, {words}",
        columns=tuple(FileColumn(c.name, c.unit, length, rate, role="data") for c, _ in said),
        samples=samples if set(sizes) == {1.0} else Affine(samples, sizes, (0.0,) * count),
        row="sample",
        start=_noted(_START, comment),
        comment=_noted(_REMARK, comment),
        problems=(Problem("lossy", lost),) if (lost := coded.told(subtype)) else (),
    )


def _samples_chunk(path: Path, container: Container) -> tuple[int, int]:
    """Bytes of samples that the file holds and that its header promises.

    libsndfile takes what is there without a word. Without chunks, or where the length is left
    open, nothing is promised.
    """
    chunks = container.chunks
    size = path.stat().st_size
    if chunks is None:
        return size, 0
    head, wide = struct.Struct(chunks.head), None
    with path.open("rb") as file:
        here = chunks.first
        file.seek(here)
        for _ in range(_MOST_CHUNKS):
            start = file.read(head.size)
            if len(start) < head.size:
                break
            name, length = head.unpack(start)
            here += head.size
            if chunks.counts_head:
                length -= head.size
            if name == b"ds64":  # RF64: the sizes that do not fit into 32 bits
                wide = int.from_bytes(file.read(16)[8:], "little")
            if name == chunks.samples:
                promised = wide if wide is not None and length == 0xFFFFFFFF else length
                open_ended = promised in _UNKNOWN_SIZES or not 0 < promised < OPEN_SIZE
                return size - here, 0 if open_ended else promised
            here += -(-length // chunks.rounded) * chunks.rounded
            if length < 0 or here > size:
                break
            file.seek(here)
    raise UserError(
        f"{path.name} is cut short or damaged",
        "it ends before any samples",
        "copy or record it again",
    )


def parse_channels(comment: str, count: int) -> list[tuple[Channel, float]]:
    """Names and units from the comment, and what full scale stands for in that unit; what it
    does not tell is ``channel n`` in FS."""
    said: list[tuple[Channel, float]] = []
    found = _CHANNELS.search(comment or "")
    for i, entry in enumerate(found.group(1).split(";") if found else []):
        match = _ENTRY.match(entry.strip()[:_MOST_LETTERS])
        name, size, text = match.groups() if match else (entry, None, None)
        symbol = find_unit(text or "") or FULL_SCALE
        full = float(size) if size is not None and symbol != FULL_SCALE else 1.0
        if not 0 < full < _MOST_SIZE:  # no scale: what it stands for is not known
            symbol, full = FULL_SCALE, 1.0
        said.append((Channel(name.strip() or f"channel {i + 1}", symbol), full))
    if len(said) != count:
        return [(Channel(f"channel {i + 1}", FULL_SCALE), 1.0) for i in range(count)]
    return said


def said_of(
    channels: Sequence[Channel], sizes: Sequence[float], start: str = "", comment: str = ""
) -> str:
    """What stands in a container's comment: names and units, what full scale stands for in each,
    the start and a remark."""
    entries = (
        f"{c.name.translate(_PLAIN)} [{'' if size == 1 else f'{size:g} '}{unit(c.unit).symbol}]"
        for c, size in zip(channels, sizes, strict=True)
    )
    lines = ["channels: " + "; ".join(entries)]
    lines += [f"start: {start}"] * bool(start)
    lines += [f"comment: {' '.join(comment.split())}"] * bool(comment)
    return "\n".join(lines)


def _noted(pattern: re.Pattern[str], comment: str) -> str:
    found = pattern.search(comment or "")
    return found.group(1).strip() if found else ""


def _forget_time(path: Path) -> None:
    """Blank the time of writing in the PEAK chunk, so that the same samples give the same file."""
    with path.open("r+b") as file:
        at = file.read(1 << 12).find(b"PEAK")
        if at >= 0:
            file.seek(at + 12)
            file.write(bytes(4))


def write_wav(path: Path, recording: Recording, progress: Progress) -> None:
    """Write a 32 bit float WAV with the channels' names and units in its comment."""
    _write(path, recording, "WAV", "FLOAT", (1.0,) * len(recording.channels), progress)


def write_flac(path: Path, recording: Recording, progress: Progress) -> None:
    """Write a 24 bit FLAC; what full scale stands for is kept in its comment."""
    from tonecomb.core.record.statistics import channel_figures

    sizes = []
    every = channel_figures(recording, range(len(recording.channels)), part(progress, 0, 0.2))
    for channel, figures in zip(recording.channels, every, strict=True):
        _refuse_holes(figures.missing + figures.infinite, channel.name, "FLAC")
        largest = max(abs(figures.min), abs(figures.max))
        # A round number with some room; samples in FS stay as they are where they fit.
        fits = channel.unit == FULL_SCALE and largest <= 1
        sizes.append(1.0 if fits or largest == 0 else float(f"{1.02 * largest:.2g}"))
    _write(path, recording, "FLAC", "PCM_24", tuple(sizes), part(progress, 0.2, 1))


def _refuse_holes(count: int, channel: str, kind: str) -> None:
    if count:
        raise UserError(
            f"{channel} has {count} missing or infinite samples, which {kind} cannot hold",
            remedy="interpolate or cut them first, or choose another format",
        )


def _write(
    path: Path,
    recording: Recording,
    container: str,
    subtype: str,
    sizes: tuple[float, ...],
    progress: Progress,
) -> None:
    import soundfile

    rate = recording.rate
    if rate != round(rate) or not 1 <= rate < (1 << 31 if container == "WAV" else 655_350):
        raise UserError(
            f"{container} cannot hold a sample rate of {rate:g} Hz",
            "it holds whole numbers of hertz",
            "choose another format, such as HDF5",
        )
    said = said_of(recording.channels, sizes, recording.start, recording.comment)
    with atomic.replacing(path) as partial:
        try:
            with soundfile.SoundFile(
                os.fsencode(partial), "w", int(rate), len(sizes), subtype, format=container
            ) as file:
                file.comment = said
                for start in range(0, recording.length, _BLOCK):
                    stop = min(recording.length, start + _BLOCK)
                    blocks = recording.samples.read_many(range(len(sizes)), start, stop)
                    columns = [x / size for x, size in zip(blocks, sizes, strict=True)]
                    file.write(np.stack(columns, axis=1))
                    progress(stop / recording.length)
        except soundfile.LibsndfileError as error:
            raise UserError(
                f"{path} could not be written",
                atomic.reason(error, path),
                "choose another place or format",
            ) from error
        if container == "WAV":
            _forget_time(partial)
