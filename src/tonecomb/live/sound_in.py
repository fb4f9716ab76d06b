"""Sound input: what a microphone or a line hears, by QtMultimedia, which is imported only here.

It needs no window: a process that only records has an event loop of its own. Without a sound server
there are no devices, and nothing fails.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Channel
from tonecomb.live.source import Block, Described, LiveSource

PREFIX = "sound:"
_BUFFER_S = 2.0
_WAIT = 0.01  # s between two looks
_SILENT = 1.0  # s without a sample, after which it is taken as gone
_WAKING = 6.0  # s that a sleeping device may take for its first sample (0.8 to 1.2 seen)
_JUMP = 0.25  # s by which the clock may be ahead of the samples before some count as lost
_MOST_CHANNELS = 32


def _application() -> Any:
    """The event loop that sound needs; without a display one that has none."""
    from PyQt6.QtCore import QCoreApplication

    return QCoreApplication.instance() or QCoreApplication(["tone-comb"])


def inputs() -> list[str]:
    """Names of the devices that can be heard; none where there is no sound server."""
    from PyQt6.QtCore import QLoggingCategory

    # Which of the system's sound libraries it found is nothing that anyone need read.
    QLoggingCategory.setFilterRules("*=false")
    try:
        from PyQt6.QtMultimedia import QMediaDevices

        _application()
        return [device.description() for device in QMediaDevices.audioInputs()]
    except ImportError:  # its system libraries are not there
        return []
    finally:
        QLoggingCategory.setFilterRules("qt.multimedia.*=false")


@dataclass
class SoundInput(LiveSource):
    """A device that is heard, as shares of full scale (FS)."""

    device: Any = None
    format: Any = None

    @classmethod
    def of(cls, name: str) -> SoundInput:
        """The device of this name, or whose name begins so; any for "". :class:`UserError` where
        there is none."""
        names = inputs()
        numbers = [i for i, one in enumerate(names) if one.lower() == name.lower()]
        numbers += [i for i, one in enumerate(names) if one.lower().startswith(name.lower())]
        if not numbers:
            known = ", ".join(names) if names else "none is found here"
            raise UserError(
                f"There is no sound input {name}".rstrip(),
                f"known are: {known}",
                "plug it in, start the sound server, or choose another",
            )
        from PyQt6.QtMultimedia import QAudioFormat, QMediaDevices

        device = QMediaDevices.audioInputs()[numbers[0]]
        wanted = device.preferredFormat()
        wanted.setSampleFormat(QAudioFormat.SampleFormat.Float)
        if not device.isFormatSupported(wanted):
            wanted.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        count = min(max(wanted.channelCount(), 1), _MOST_CHANNELS)
        usual = ("left", "right") if count == 2 else tuple(f"input {i + 1}" for i in range(count))
        channels = tuple(Channel(one, "FS") for one in (usual if count > 1 else ("input",)))
        described = Described(device.description(), float(wanted.sampleRate()), channels)
        return cls(described, device=device, format=wanted)

    def blocks(self, stopped: Callable[[], bool]) -> Iterator[Block]:
        from PyQt6.QtCore import QIODevice
        from PyQt6.QtMultimedia import QAudio, QAudioSource

        app = _application()
        rate, count = self.described.rate, len(self.described.channels)
        each = self.format.bytesPerFrame()
        at, begun, heard = 0, 0.0, time.monotonic()
        while not stopped() and not self.closed:
            sound = QAudioSource(self.device, self.format)
            sound.setBufferSize(round(_BUFFER_S * rate) * each)
            stream: QIODevice | None = sound.start()
            held, patience = b"", _WAKING
            while not stopped() and not self.closed:
                app.processEvents()
                data = b"" if stream is None else bytes(stream.readAll().data())
                now = time.monotonic()
                held += data
                whole = len(held) // each
                if not whole:
                    broken = stream is None or sound.error() not in (
                        QAudio.Error.NoError,
                        QAudio.Error.UnderrunError,
                    )
                    if broken or now - heard > patience:
                        break
                    time.sleep(_WAIT)
                    continue
                frames, held = self._frames(held[: whole * each], count), held[whole * each :]
                if not begun:
                    begun = now - whole / rate
                # The device gives what it has: what is lacking by the clock was lost.
                behind = round((now - begun) * rate) - at - whole
                if behind > _JUMP * rate:
                    self.counts.lost_samples += behind
                    yield Block(at, behind, None)
                    at += behind
                heard, patience = now, _SILENT
                self.counts.taken += 1
                yield Block(at, whole, frames)
                at += whole
                time.sleep(_WAIT)
            sound.stop()
            if not stopped() and not self.closed:
                if at:
                    self.counts.joined += 1
                time.sleep(0.2)
                heard = time.monotonic()

    def _frames(self, data: bytes, count: int) -> Any:
        from PyQt6.QtMultimedia import QAudioFormat

        if self.format.sampleFormat() == QAudioFormat.SampleFormat.Float:
            return np.frombuffer(data, "<f4").reshape(-1, count).copy()
        return (np.frombuffer(data, "<i2").reshape(-1, count) / 32768.0).astype(np.float32)
