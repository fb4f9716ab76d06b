"""Going live: a recording that is still coming stands on the shelf, and everything follows it."""

from __future__ import annotations

import subprocess
import sys
import time
import uuid
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from tonecomb.core import document as edits
from tonecomb.core.document import Fingerprint, RecordingRef
from tonecomb.core.errors import UserError
from tonecomb.core.method import Frames, default_frame, default_method
from tonecomb.core.progress import Progress
from tonecomb.core.record.evenly import Filled
from tonecomb.core.record.given import Given
from tonecomb.core.record.recording import Problem, Recording
from tonecomb.desktop.acts.opening import Opening
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.stage.stage import Stage
from tonecomb.formats.registry import WRITERS, write_recording
from tonecomb.live.opening import KNOWN
from tonecomb.live.receiver import Receiver
from tonecomb.live.spool import SpoolReader, SpoolSamples

_TICK_MS = 30
_BREATH_S, _BREATH_OPEN_S = 2.0, 0.3
_NODE_PORT = 5004


class LiveActs(QObject):
    """One live recording at a time. While its pictures go on, the scheduler is ``lively``."""

    def __init__(self, context: Context, stage: Stage, opening: Opening) -> None:
        super().__init__(context.window)
        self._context, self._store, self._opening = context, context.store, opening
        self._bar, self._spectrum = stage.live_bar, stage.spectrum
        self._receiver: Receiver | None = None
        self._reader: SpoolReader | None = None
        self._node: subprocess.Popen[bytes] | None = None
        self._id, self._shown_end, self._pictures = "", -1, 0.0
        self._last = self._breathed = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._bar.frozen.connect(lambda _: self._follow())
        self._bar.kept.connect(self.keep)
        self._bar.ended.connect(self.end)
        self._bar.choice.picked.connect(lambda _: self._tick(again=True))
        context.store.changed.connect(self._follow)

    @property
    def live(self) -> bool:
        """Whether something is received."""
        return self._receiver is not None

    def ask(self) -> None:
        """Go live with a source that the user names."""
        usual = settings.settings().value("live", "rtp://127.0.0.1:5004/L24/12800/3")
        text, ok = QInputDialog.getText(
            self._context.window, "Go live", f"The source: {KNOWN}", text=str(usual)
        )
        if ok and text.strip():
            settings.settings().setValue("live", text.strip())
            self.go(text.strip())

    def go_with_node(self) -> None:
        """Start the simulated node, and go live with it."""
        self.end()
        folder = settings.data_folder()
        folder.mkdir(parents=True, exist_ok=True)
        described = folder / "node.sdp"
        described.unlink(missing_ok=True)
        self._node = subprocess.Popen(
            [sys.executable, "-m", "tonecomb", "node", "--port", str(_NODE_PORT), "--sdp",
             str(described)],
            stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        waited = QTimer(self)

        def look() -> None:
            if described.exists():
                waited.stop()
                self.go(str(described))

        waited.setInterval(50)
        waited.timeout.connect(look)
        waited.start()

    def go(self, source: str) -> None:
        """Go live with a source."""
        self._stop_receiving()
        self._receiver = Receiver(source)
        self._reader, self._id, self._shown_end = None, uuid.uuid4().hex[:12], -1
        self._bar.freeze.setChecked(False)
        self._timer.start()

    def _tick(self, again: bool = False) -> None:
        receiver = self._receiver
        if receiver is None:
            return
        try:
            reader = receiver.look()
        except UserError as error:
            self._context.notices.tell(error)
            self.end()
            return
        if reader is None:
            return
        self._reader = reader
        progressed = reader.progressed()
        self._bar.tell(progressed, reader.described.rate, self._pictures)
        if progressed.end - progressed.first < self._frame(reader):
            return
        if self._store.document.get(self._id) is None:
            self._shelve(reader)
        elif not again and (self._bar.freeze.isChecked() or progressed.end == self._shown_end):
            return
        if self._store.document.current == self._id:
            self._show(reader)

    def _frames(self) -> Frames:
        ref = self._store.document.get(self._id)
        return Frames() if ref is None else ref.method.frames

    def _length(self, reader: SpoolReader) -> int:
        """Samples that are to be looked at."""
        return self._bar.length(reader.described.rate, self._frames())

    def _frame(self, reader: SpoolReader) -> int:
        """The frame without which there is nothing to see; for seconds, the usual one for them."""
        if self._bar.last.frames:
            return self._frames().frame
        return default_frame(self._length(reader))

    def _shelve(self, reader: SpoolReader) -> None:
        recording = self._recording(reader)
        self._store.show_live(recording)
        assert self._receiver is not None
        method = default_method(recording).having(frame=self._frame(reader))
        ref = RecordingRef(
            self._id, recording.name, "", Fingerprint(0, ""), method,
            Given(live=self._receiver.source),
        )  # fmt: skip
        self._store.apply("Go live", edits.add_recording(self._store.document, ref))

    def _show(self, reader: SpoolReader) -> None:
        """The newest stretch, in every view."""
        recording, ref = self._recording(reader), self._store.document.get(self._id)
        if ref is not None and ref.method.frames.frame > recording.length:
            method = ref.method.having(frame=default_frame(recording.length))
            shorter = edits.change_recording(self._store.document, replace(ref, method=method))
            self._store.apply("Go live", shorter, "live")
        now = time.monotonic()
        # Now and then what can wait follows too: cautions, outlines, figures.
        if now - self._breathed > _BREATH_S:
            self._breathed = now
        scheduler = self._context.scheduler
        scheduler.lively, scheduler.breathing = True, now - self._breathed < _BREATH_OPEN_S
        self._store.show_live(recording)
        scheduler.look_now()
        gone, self._last = now - self._last, now
        self._pictures += 0.1 * (1 / max(gone, 1e-3) - self._pictures)
        self._spectrum.holds = self._context.results.analysis is not None

    def _recording(self, reader: SpoolReader) -> Recording:
        """What is looked at: the last seconds, as many samples as there are."""
        progressed, described = reader.progressed(), reader.described
        end = progressed.end
        first = max(progressed.first, end - self._length(reader))
        self._shown_end = end
        samples = SpoolSamples(reader, first)
        lost: tuple[tuple[int, int], ...] = ()
        if progressed.counts.lost_samples:
            read = samples.read_many(range(len(described.channels)), 0, end - first)
            holes = np.isnan(read).any(axis=0).astype(np.int8)
            edges = np.flatnonzero(np.diff(np.concatenate([[0], holes, [0]])))
            lost = tuple((int(a), int(b)) for a, b in edges.reshape(-1, 2))
        gone = sum(b - a for a, b in lost)
        told = (
            f"{1000 * gone / described.rate:.4g} ms of what is looked at were lost on the way, in "
            f"{len(lost)} gap{'s' if len(lost) > 1 else ''}: frames that touch them are left out."
        )
        return Recording(
            id=self._id,
            name=described.name,
            format="live",
            sample_rate=described.rate,
            rate_source="header",
            rate_found=f"from the stream's description: {described.rate:g} Hz",
            length=end - first,
            channels=described.channels,
            samples=Filled(samples, end - first) if lost else samples,
            problems=(Problem("lost", told),) if lost else (),
            lost=lost,
        )

    def _follow(self) -> None:
        """The bar stands where the live recording is looked at; while it does, results follow at
        once."""
        here = self.live and self._store.document.current == self._id
        self._bar.setVisible(self.live)
        lively = here and not self._bar.freeze.isChecked()
        if self._context.scheduler.lively and not lively and self.live:
            self._context.scheduler.lively = False
            QTimer.singleShot(0, self._settle)

    def _settle(self) -> None:
        """What waits while pictures go on is done when they stand still."""
        self._store.changed.emit()
        self._context.results.tell_again()

    def freeze(self) -> None:
        """Let the pictures stand still, or go on."""
        if self.live:
            self._bar.freeze.toggle()

    def keep(self) -> None:
        """Write what is looked at as a recording of its own, and open it."""
        shown = self._store.recording(self._id)
        if not self.live or shown is None:
            return
        stamp = datetime.now().strftime("%Y-%m-%d %H.%M.%S")
        start = settings.folder_of(None) / f"{shown.name} {stamp}.wav"
        kinds = ";;".join(f"{writer.name} (*{writer.suffix})" for writer in WRITERS)
        chosen, _ = QFileDialog.getSaveFileName(
            self._context.window, "Keep", str(start), kinds, WRITERS[0].name
        )
        if not chosen:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(".wav")
        lost = shown.samples.source if isinstance(shown.samples, Filled) else shown.samples
        kept = replace(shown, samples=lost)  # with its holes

        def work(progress: Progress) -> None:
            write_recording(path, kept, progress)

        self._context.jobs.submit(
            f"Keeping {path.name}", work, lambda _: self._opening.open_paths([path]),
            self._context.notices.tell,
        )  # fmt: skip

    def end(self) -> None:
        """Receive no more. What was looked at last stays on the shelf."""
        self._stop_receiving()
        if self._node is not None:
            self._node.terminate()
            self._node.wait()
            self._node = None

    def _stop_receiving(self) -> None:
        receiver, self._receiver = self._receiver, None
        self._timer.stop()
        if receiver is None:
            return
        receiver.stop()
        shown = self._store.recording(self._id)
        if shown is not None:  # the spool goes; what is looked at is read before
            arrays = tuple(
                shown.samples.read(i, 0, shown.length) for i in range(len(shown.channels))
            )
            from tonecomb.core.record.recording import ArraySamples

            self._context.scheduler.lively = False
            self._store.show_live(replace(shown, samples=ArraySamples.of(*arrays)))
            self._settle()
        receiver.forget()
        self._spectrum.holds = False
        self._bar.hide()
