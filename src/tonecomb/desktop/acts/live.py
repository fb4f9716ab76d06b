"""Going live: a recording that is still coming stands on the shelf, and everything follows it."""

from __future__ import annotations

import math
import time
import uuid
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import Fingerprint, Mark, RecordingRef
from tonecomb.core.method.given import Given
from tonecomb.core.method.method import Frames, default_frame, default_method
from tonecomb.core.record.pyramid import BASE
from tonecomb.core.record.recording import ArraySamples, Problem, Recording
from tonecomb.core.record.resampling import Filled
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.numbers import clock
from tonecomb.desktop.acts.opening import Opening
from tonecomb.desktop.acts.pacing import TICK_MS, Pacing
from tonecomb.desktop.acts.simulated_node import PORT, SimulatedNode
from tonecomb.desktop.acts.watching import Watching
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.stage.bars.live_bar import Last
from tonecomb.desktop.stage.stage import Stage
from tonecomb.formats.registry import WRITERS, write_recording
from tonecomb.live.opening import KNOWN
from tonecomb.live.receiver import Receiver
from tonecomb.live.sound_in import PREFIX, inputs
from tonecomb.live.source import Counts
from tonecomb.live.spool import Progressed, SpoolReader
from tonecomb.live.tail import Tail
from tonecomb.live.watching import Event

_NODE = f"rtp://127.0.0.1:{PORT}/L24/12800/3"
_USUAL_S = 5.0  # of which the frame is the usual one, where all is looked at
_MOST = 20  # captures that are marked
_CELLS = 64  # of an outline, from which it serves


class LiveActs(QObject):
    """One live recording at a time. While its pictures go on, the scheduler is ``lively``."""

    def __init__(
        self, context: Context, stage: Stage, opening: Opening, watching: Watching
    ) -> None:
        super().__init__(context.window)
        self._context, self._store, self._opening = context, context.store, opening
        self._bar, self._spectrum = stage.live_bar, stage.spectrum
        self._receiver: Receiver | None = None
        self._reader: SpoolReader | None = None
        self._tail: Tail | None = None
        self._node = SimulatedNode(self, self.go)
        self._pacing = Pacing()
        self._id, self._shown_end = "", -1
        self.heard = 0.0
        """When (monotonic, s) the newest sample that is shown came."""
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._bar.frozen.connect(lambda _: self._tick())
        self._bar.frozen.connect(lambda _: self._follow())
        self._bar.kept.connect(self.keep)
        self._bar.ended.connect(self.end)
        self._bar.restarted.connect(self.restart)
        self._bar.choice.picked.connect(lambda _: self._look_at_now())
        self.watching = watching
        self._shown_from = 0
        stage.more_marks.append(self._marks)
        watching.chosen.connect(self._look_at)
        self._since = 0  # the sample from which "since the start" looks
        self._standing: Event | None = None  # a capture that is looked at
        context.store.changed.connect(self._follow)
        self._followed: object = None  # findings that the combs went along with
        context.results.analysis_changed.connect(self._follow_teeth)

    @property
    def live(self) -> bool:
        """Whether something is received."""
        return self._receiver is not None

    @property
    def progressed(self) -> Progressed | None:
        """How far what is received is, None where nothing is."""
        return None if self._reader is None else self._reader.progressed()

    def ask(self) -> None:
        """Go live with a source that the user names."""
        usual = str(settings.settings().value("live", _NODE))
        offered = list(dict.fromkeys([usual, _NODE, *(f"{PREFIX}{name}" for name in inputs())]))
        text, ok = QInputDialog.getItem(
            self._context.window, "Go live", f"The source: {KNOWN}", offered
        )
        if ok and text.strip():
            settings.settings().setValue("live", text.strip())
            self.go(text.strip())

    def go_with_node(self) -> None:
        """Start the simulated node, and go live with it."""
        self.end()
        self._node.start()

    def tell_node(self, key: str) -> None:
        """Have the simulated node do what one of its keys does."""
        if not self._node.press(key):
            self._context.notices.show_notice(
                "The simulated node is not running: go live with it first."
            )

    def go(self, source: str) -> None:
        """Go live with a source."""
        self._stop_receiving()
        self._receiver = Receiver(source)
        self._reader, self._id, self._shown_end = None, uuid.uuid4().hex[:12], -1
        self._since, self._standing = 0, None
        self._pacing.begin()
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
        if reader is not self._reader:
            self._reader, self._tail = reader, Tail(reader)
            self.watching.begin(receiver, reader)
        self.watching.poll()
        assert self._tail is not None
        progressed = self._tail.catch_up()
        stands = self._standing
        rate = reader.described.rate
        named = (
            "" if stands is None else f"{stands.kind} {stands.number} at {clock(stands.at / rate)}"
        )
        self._bar.tell(progressed, reader.described.rate, self._pacing.rate, named)
        if progressed.end - max(progressed.first, self._since) < self._frame(reader):
            return
        if self._store.document.get(self._id) is None:
            self._shelve(reader)
        elif not again and (
            self._bar.freeze.isChecked() or self._standing or progressed.end == self._shown_end
        ):
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
        return default_frame(min(self._length(reader), round(_USUAL_S * reader.described.rate)))

    def _shelve(self, reader: SpoolReader) -> None:
        recording = self._recording(reader)
        self._store.show_live(recording)
        assert self._receiver is not None
        method = default_method(recording).having(frame=self._frame(reader))
        ref = RecordingRef(
            self._id,
            recording.name,
            "",
            Fingerprint(0, ""),
            method,
            Given(live=self._receiver.source),
        )
        self._store.apply("Go live", edits.add_recording(self._store.document, ref))

    def _show(self, reader: SpoolReader) -> None:
        """The newest stretch, in every view."""
        recording, ref = self._recording(reader), self._store.document.get(self._id)
        if ref is not None and ref.method.frames.frame > recording.length:
            method = ref.method.having(frame=default_frame(recording.length))
            shorter = edits.change_recording(self._store.document, replace(ref, method=method))
            self._store.apply("Go live", shorter, "live")
        breath = self._pacing.breathes()
        scheduler = self._context.scheduler
        scheduler.lively = scheduler.resting = self._standing is None
        scheduler.breathing = self._pacing.breathing
        first = self._store.current is None or self._store.current.length != recording.length
        self._store.show_live(recording, growing=not (first or breath))
        scheduler.look_now()
        self._timer.setInterval(self._pacing.shown(len(recording.channels)))
        self._spectrum.outlook.holds = self._context.results.analysis is not None

    def _recording(self, reader: SpoolReader) -> Recording:
        """What is looked at: the last seconds, as many samples as there are."""
        assert self._tail is not None
        progressed, described = self._tail.progressed, reader.described
        end, length = progressed.end, self._length(reader)
        self._shown_end, self.heard = end, time.monotonic() - progressed.age
        first = max(progressed.first, self._since, end - length)
        if (stands := self._standing) is not None:
            first, end = max(progressed.first, stands.first), min(stands.end, end)
        elif end - first > _CELLS * BASE:  # so that the running outline serves
            end, least = end // BASE * BASE, -(-max(progressed.first, self._since) // BASE) * BASE
            first = max(least, end - -(-length // BASE) * BASE)
        self._shown_from = first
        samples, lost = self._tail.samples(first, end), self._tail.lost(first, end)
        problems = _problems(progressed.counts, described.rate, lost)
        return Recording(
            id=self._id,
            name=described.name,
            format="live",
            live=stands is None,
            sample_rate=described.rate,
            rate_source="header",
            rate_found=f"from the stream's description: {described.rate:g} Hz",
            length=end - first,
            channels=described.channels,
            samples=Filled(samples, end - first) if lost else samples,
            problems=problems,
            lost=lost,
        )

    def _follow(self) -> None:
        """The bar stands where the live recording is looked at; while it does, results follow at
        once."""
        here = self.live and self._store.document.current == self._id
        self._bar.setVisible(self.live)
        lively = here and not self._bar.freeze.isChecked() and self._standing is None
        if self._context.scheduler.lively and not lively and self.live:
            self._context.scheduler.lively = self._context.scheduler.resting = False
            QTimer.singleShot(0, self._settle)

    def _settle(self) -> None:
        """What waits while pictures go on is done when they stand still."""
        self._store.changed.emit()
        self._context.results.tell_again()

    def _marks(self) -> tuple[Mark, ...]:
        """Where the captures are that are not set aside, of what is looked at."""
        signal = self._store.current
        if signal is None or signal.id != self._id or not self.live:
            return ()
        events = self.watching.events.values()
        found = [
            (event.at - self._shown_from, event)
            for event in events
            if event.kind == "capture" and event.number not in self.watching.aside
        ]
        inside = [(at, event) for at, event in found if 0 <= at < signal.length]
        return tuple(Mark(at / signal.rate, f"{event.number}") for at, event in inside[-_MOST:])

    def restart(self) -> None:
        """Look, and average, from now on."""
        if self.live and self._reader is not None:
            self._since = self._reader.progressed().end
            self._bar.choice.choose(Last(math.inf))
            self._look_at_now()

    def _look_at_now(self) -> None:
        """Follow what comes again."""
        self._standing = None
        self._bar.freeze.setChecked(False)
        if not math.isinf(self._bar.last.number):
            self._since = 0
        self._tick(again=True)
        self._follow()

    def _look_at(self, event: Event) -> None:
        """Look at a capture, or an alarm, which stands still."""
        if self._tail is None or not self.live:
            return
        if self._tail.progressed.first > event.first:
            self._context.notices.tell(
                UserError(
                    f"{event.kind.capitalize()} {event.number} was let go of",
                    "the live recording may take so much room on the disk and no more",
                )
            )
            return
        if event.end > self._tail.progressed.end:
            return  # it is still coming
        self._standing = event
        self._tick(again=True)
        self._follow()

    def _follow_teeth(self, analysis: Analysis | None) -> None:
        findings = None if analysis is None else analysis.found
        if self._context.scheduler.lively and self.live and findings not in (None, self._followed):
            self._followed = findings
            QTimer.singleShot(0, self._context.combs.follow_teeth)

    def freeze(self) -> None:
        """Let the pictures stand still, or go on."""
        if self.live:
            self._bar.freeze.toggle()

    def keep(self) -> None:
        """Write what is looked at as a recording of its own, and open it."""
        recording = self._store.recording(self._id)
        if not self.live or recording is None:
            return
        stamp = datetime.now().strftime("%Y-%m-%d %H.%M.%S")
        start = settings.folder_of(None) / f"{recording.name} {stamp}.wav"
        kinds = ";;".join(f"{writer.name} (*{writer.suffix})" for writer in WRITERS)
        chosen, _ = QFileDialog.getSaveFileName(
            self._context.window, "Keep", str(start), kinds, WRITERS[0].name
        )
        if not chosen:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(".wav")
        lost = (
            recording.samples.source if isinstance(recording.samples, Filled) else recording.samples
        )
        kept = replace(recording, samples=lost)  # with its holes

        def work(progress: Progress) -> None:
            write_recording(path, kept, progress)

        self._context.jobs.submit(
            f"Keeping {path.name}",
            work,
            lambda _: self._opening.open_paths([path]),
            self._context.notices.tell,
        )

    def end(self) -> None:
        """Receive no more. What was looked at last stays on the shelf."""
        self._stop_receiving()
        self._node.stop()

    def _stop_receiving(self) -> None:
        receiver, self._receiver = self._receiver, None
        self._timer.stop()
        if receiver is None:
            return
        receiver.stop()
        recording = self._store.recording(self._id)
        if recording is not None:  # the spool goes; what is looked at is read before
            arrays = tuple(
                recording.samples.read(i, 0, recording.length)
                for i in range(len(recording.channels))
            )
            self._context.scheduler.lively = self._context.scheduler.resting = False
            ended = replace(recording, samples=ArraySamples.of(*arrays), live=False)
            self._store.show_live(ended)
            self._settle()
        receiver.forget()
        self.watching.end()
        self._spectrum.outlook.holds = False
        self._bar.hide()


def _problems(
    counts: Counts, rate: float, lost: tuple[tuple[int, int], ...]
) -> tuple[Problem, ...]:
    """What is to be said of what is looked at."""
    problems = []
    if lost:
        gone, many = sum(b - a for a, b in lost), "s" if len(lost) > 1 else ""
        own = f" {counts.overrun} packets since the start were missed by this machine."
        problems.append(
            Problem(
                "lost",
                (
                    f"{1000 * gone / rate:.4g} ms of what is looked at were lost on the way, in "
                    f"{len(lost)} gap{many}: frames that touch them are left out."
                    + (own if counts.overrun else "")
                ),
            )
        )
    if counts.rate_ppm:
        comes = rate * (1 + counts.rate_ppm / 1e6)
        problems.append(
            Problem(
                "rate",
                (
                    f"Samples come at {comes:.6g} Hz by this machine's clock, not at {rate:.6g} "
                    f"Hz as the "
                    f"source says: frequencies may be off by {abs(counts.rate_ppm) / 1e4:.2g} %."
                ),
            )
        )
    return tuple(problems)
