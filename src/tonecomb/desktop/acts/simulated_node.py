"""The simulated sensor node in a process of its own."""

from __future__ import annotations

import contextlib
import subprocess
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from tonecomb.core.results.itself import PYTHON
from tonecomb.desktop.kit import settings

PORT = 5004


class SimulatedNode:
    """``described`` is called with the path of the stream's description once it is there."""

    def __init__(self, parent: QObject, described: Callable[[str], None]) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._waits = _Waits(parent, described)

    def start(self) -> None:
        """Let it send."""
        path = settings.data_folder() / "node.sdp"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.unlink(missing_ok=True)
        command = [*PYTHON, "-m", "tonecomb", "node", "--port", str(PORT), "--sdp", str(path)]
        self._process = subprocess.Popen(
            [*command, "--keys"],
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        self._waits.start(path)

    def press(self, key: str) -> bool:
        """Have it do what one of its keys does; False where it does not run."""
        pipe = None if self._process is None else self._process.stdin
        if pipe is None:
            return False
        with contextlib.suppress(BrokenPipeError):
            pipe.write(key.encode())
            pipe.flush()
        return True

    def stop(self) -> None:
        """Let it end."""
        self._waits.stop()
        if self._process is not None:
            if self._process.stdin is not None:
                self._process.stdin.close()
            self._process.terminate()
            self._process.wait()
            self._process = None


class _Waits(QObject):
    """Tells once that a file is there. Its timer calls a method, which Qt lets go of with it: the
    window may go meanwhile."""

    def __init__(self, parent: QObject, then: Callable[[str], None]) -> None:
        super().__init__(parent)
        self._then, self._path = then, Path()
        self._timer = QTimer(self)
        self._timer.setInterval(50)
        self._timer.timeout.connect(self._look)

    def start(self, path: Path) -> None:
        self._path = path
        self._timer.start()

    def stop(self) -> None:
        self._timer.stop()

    def _look(self) -> None:
        if self._path.exists():
            self.stop()
            self._then(str(self._path))
