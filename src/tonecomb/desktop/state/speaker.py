"""The sound device. It takes what is heard from a file that a worker fills ahead of it, so that
neither drawing nor the interpreter ever keeps it waiting: with its reads in Python the device fell
silent for some milliseconds now and then. The library is loaded when the first sound is wanted."""

from __future__ import annotations

import os
import tempfile
import threading
from typing import Any

import numpy as np
from PyQt6.QtCore import (
    QFile,
    QIODeviceBase,
    QLoggingCategory,
    QObject,
    Qt,
    QThread,
    QTimer,
    pyqtSignal,
)

from tonecomb.core.base.errors import UserError
from tonecomb.core.results.sound import Heard

_BUFFER_S = 0.2
_AHEAD_S = 2.0  # that the file is filled ahead of the device
_FIRST_S = 0.3  # that is filled before it begins
_SWITCH_S = 0.1  # ahead of the device, from which a switch is written over what is there
_LOOP_S = 6 * 3600  # after which a loop ends
_BLOCK = 4800  # frames that are worked out at once
_FILL_S, _TELL_MS = 0.05, 80
_FRAME = 8  # bytes of left and right


def no_device() -> UserError:
    """What is said where nothing can be heard."""
    return UserError(
        "There is no sound device, so nothing can be heard",
        "all else works without one",
        "plug one in, or start the sound server, then try again",
    )


def preferred_rate() -> int:
    """The device's own sample rate, Hz. Raises :class:`UserError` where there is no device."""
    # Which of the system's sound libraries it found is nothing that anyone need read.
    QLoggingCategory.setFilterRules("qt.multimedia.*=false")
    try:
        from PyQt6.QtMultimedia import QMediaDevices
    except ImportError as error:  # its system libraries are not there
        raise no_device() from error
    device = QMediaDevices.defaultAudioOutput()
    if device.isNull():
        raise no_device()
    return int(device.preferredFormat().sampleRate() or 48_000)


class _Filling:
    """The file, and the thread that fills it. ``place`` is how many frames the device has read."""

    def __init__(self, heard: Heard) -> None:
        self._heard = heard
        frames = heard.sounds[0].frames
        self.total = _LOOP_S * heard.rate if heard.loop else frames - heard.at
        self.file = tempfile.NamedTemporaryFile(prefix="tone-comb-", suffix=".raw")  # noqa: SIM115
        os.truncate(self.file.fileno(), self.total * _FRAME)
        self._written, self.place = 0, 0
        self._number = heard.number
        self._over = threading.Event()
        self._fill(_FIRST_S)  # the rest by the worker
        self._thread = threading.Thread(target=self._run, name="listening")
        self._thread.start()

    def _run(self) -> None:
        while not self._over.wait(_FILL_S):
            self._fill()

    def _fill(self, ahead: float = _AHEAD_S) -> None:
        heard = self._heard
        if heard.number != self._number:  # what is written but not yet heard is written anew
            self._number = heard.number
            back = self._written - (self.place + round(_SWITCH_S * heard.rate))
            if back > 0:
                heard.go_back(back)
                self._written -= back
        wanted = min(self.place + round(ahead * heard.rate), self.total)
        while self._written < wanted and not self._over.is_set():
            block = heard.take(min(_BLOCK, self.total - self._written))
            if not len(block):
                break
            made = np.ascontiguousarray(block, dtype="<f4").tobytes()
            os.pwrite(self.file.fileno(), made, self._written * _FRAME)
            self._written += len(block)

    def close(self) -> None:
        self._over.set()
        self._thread.join()
        self.file.close()


class _Output(QObject):
    """Lives in the device's thread, where nothing else runs that needs the interpreter."""

    def __init__(self, path: str, rate: int) -> None:
        super().__init__()
        self._path, self._rate = path, rate
        self.sink: Any = None
        self.file: QFile | None = None

    def start(self) -> None:
        from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

        form = QAudioFormat()
        form.setSampleRate(self._rate)
        form.setChannelCount(2)
        form.setSampleFormat(QAudioFormat.SampleFormat.Float)
        mode = QIODeviceBase.OpenModeFlag
        self.file = QFile(self._path)
        self.file.open(mode.ReadOnly | mode.Unbuffered)
        self.sink = QAudioSink(QMediaDevices.defaultAudioOutput(), form)
        self.sink.setBufferSize(int(_BUFFER_S * self._rate) * _FRAME)
        self.sink.start(self.file)

    def stop(self) -> None:
        if self.sink is not None:
            self.sink.stop()
            self.sink = None
        if self.file is not None:
            self.file.close()


class Speaker(QObject):
    """``moved`` carries how many frames of what is played were heard; ``ended`` when it is over."""

    moved = pyqtSignal(int)
    ended = pyqtSignal()
    _stop = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._thread: QThread | None = None
        self._output: _Output | None = None
        self._filling: _Filling | None = None
        self._rate = 0
        self._timer = QTimer(self)
        self._timer.setInterval(_TELL_MS)
        self._timer.timeout.connect(self._tell)

    @property
    def playing(self) -> bool:
        """Whether something is heard."""
        return self._thread is not None

    def play(self, heard: Heard) -> None:
        """Have this heard from now on."""
        self.stop()
        self._rate, self._filling = heard.rate, _Filling(heard)
        self._thread, self._output = QThread(), _Output(self._filling.file.name, heard.rate)
        self._output.moveToThread(self._thread)
        self._thread.started.connect(self._output.start)
        self._stop.connect(self._output.stop, Qt.ConnectionType.BlockingQueuedConnection)  # type: ignore[call-arg]
        self._thread.start(QThread.Priority.HighPriority)
        self._timer.start()

    def _tell(self) -> None:
        output, filling = self._output, self._filling
        if output is None or filling is None or output.sink is None or output.file is None:
            return
        filling.place = int(output.file.pos()) // _FRAME
        heard = int(output.sink.processedUSecs() * 1e-6 * self._rate)
        if filling.place >= filling.total and output.sink.state().value != 0:  # it has run dry
            self.stop()
            self.ended.emit()
            return
        self.moved.emit(min(heard, filling.total))

    def stop(self) -> None:
        """Be silent; the threads have ended when this returns."""
        thread, output, filling = self._thread, self._output, self._filling
        if thread is None or output is None or filling is None:
            return
        self._timer.stop()
        self._stop.emit()
        self._stop.disconnect()
        thread.quit()
        thread.wait()
        filling.close()
        self._thread = self._output = self._filling = None
