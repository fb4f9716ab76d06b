"""A bench that is driven at random, with a watchdog on the interface thread; run by
test_at_random.py. Dialogs are answered by a timer. Prints what happened as JSON.

Holds are told as they lasted, and in the processor time of the interface thread, which other
programs and worker threads do not lengthen."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import sys
import threading
import time
import traceback
import warnings
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QMetaObject, QPoint, Qt, QTimer, qInstallMessageHandler
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QWidget,
)

from tonecomb.desktop.app import give_memory_back, make_application
from tonecomb.desktop.state.memory import Memory, resident

BEAT_MS = 5
TOLD_S = 0.12  # a hold that is told with what was being done
NOISE = (  # what this platform lacks, and what the library says of its own fields
    "propagateSizeHints",
    "does not support",
    "PulseAudioService",
    "QLineEdit::setSelection",
)
NEVER = {"Quit", "About Tone Comb"}
TEXTS = ("", "a", "12", "−3.5", "1e9", "nan", "motor 1×", "x" * 300, "0", "20:400")
KEYS = (
    Qt.Key.Key_Return,
    Qt.Key.Key_Tab,
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Space,
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
)


class Watchdog:
    """Looks how long ago the interface last gave a sign; where that is too long, at what it is
    doing. A signal does that, which comes between two instructions: to look at a frame from
    another thread crashes now and then."""

    def __init__(self) -> None:
        self.last, self.worked = time.monotonic(), time.thread_time()
        self.holds: list[float] = []
        self.own: list[float] = []
        self.told: list[tuple[float, float, str, str]] = []
        self.doing = "start"
        self._seen: list[str] = []
        self._looking = False
        signal.signal(signal.SIGALRM, self._look)

    def beat(self) -> None:
        """A sign of the interface."""
        now, worked = time.monotonic(), time.thread_time()
        held, own = now - self.last - BEAT_MS / 1000, worked - self.worked
        self.holds.append(max(held, 0.0))
        self.own.append(own)
        if held > TOLD_S:
            often = Counter(self._seen).most_common(3)
            seen = " | ".join(f"{count}× {where}" for where, count in often)
            self.told.append((round(own, 3), round(held, 3), self.doing, seen))
        self._seen = []
        self.last, self.worked = now, worked
        signal.setitimer(signal.ITIMER_REAL, TOLD_S / 2, 0.03)

    def stop(self) -> None:
        """Look no more."""
        signal.setitimer(signal.ITIMER_REAL, 0)

    def _look(self, _: int, frame: FrameType | None) -> None:
        if self._looking:  # it takes longer than from one signal to the next
            return
        self._looking = True
        lines: list[str] = []
        while frame is not None and len(lines) < 6:
            file = Path(frame.f_code.co_filename)
            if not lines or "tonecomb" in file.parts:
                lines.append(f"{file.name}:{frame.f_lineno} {frame.f_code.co_name}")
            frame = frame.f_back
        self._seen.append(" < ".join(lines))
        self._looking = False


class Hand:
    """Who presses, types and drags; all that it does follows from the seed."""

    def __init__(self, bench: Any, folder: Path, seed: int, watchdog: Watchdog) -> None:
        self.bench, self.folder, self.watchdog = bench, folder, watchdog
        self.random = random.Random(seed)
        self.files = sorted(folder.iterdir())
        answers = QTimer(bench)
        answers.timeout.connect(self.answer)
        answers.start(40)
        self._answered: dict[int, int] = {}

    def file_to_open(self, *_: object, **__: object) -> tuple[str, str]:
        return str(self.random.choice(self.files)), ""

    def files_to_open(self, *_: object, **__: object) -> tuple[list[str], str]:
        return [str(self.random.choice(self.files))], ""

    def file_to_save(self, *_: object, **__: object) -> tuple[str, str]:
        ends = ("csv", "png", "svg", "html", "tcomb", "json", "wav", "h5", "")
        name = f"saved-{self.random.randrange(9)}.{self.random.choice(ends)}"
        return (str(self.folder.parent / "out" / name) if self.random.random() < 0.7 else ""), ""

    def answer(self) -> None:
        """Do something to the dialog or popover that waits; after a few things it goes."""
        asked: QWidget | None = QApplication.activeModalWidget()
        if asked is None:
            asked = QApplication.activePopupWidget()
        if asked is None:
            return
        count = self._answered[id(asked)] = self._answered.get(id(asked), 0) + 1
        if count > 4 or self.random.random() < 0.25:
            self._answered.pop(id(asked))
            self.soon(self.end, asked)
            return
        inside = [
            one
            for one in asked.findChildren(QWidget)
            if one.isVisible()
            and one.isEnabled()
            and isinstance(one, (QAbstractButton, QComboBox, QDoubleSpinBox, QLineEdit))
        ]
        if inside:
            self.soon(self.touch, self.random.choice(inside))
        else:
            key = self.random.choice(KEYS)
            self.soon(lambda one: QTest.keyClick(one, key), asked)

    def soon(self, do: Callable[[Any], object], one: QWidget) -> None:
        """After this turn of the timer: what is done may ask anew, and a timer does not tick again
        while it waits for its own end."""
        QTimer.singleShot(0, lambda: sip.isdeleted(one) or do(one))

    def end(self, asked: QWidget) -> None:
        """Answer a dialog, by its slots: of one that Qt made they are protected."""
        if isinstance(asked, QInputDialog):
            asked.setTextValue(self.random.choice(TEXTS))
        if isinstance(asked, QDialog):
            slot = "accept" if self.random.random() < 0.6 else "reject"
            QMetaObject.invokeMethod(asked, slot)
        else:
            asked.close()

    def touch(self, one: QWidget) -> None:
        self.watchdog.doing = f"{type(one).__name__} {one.accessibleName() or one.objectName()}"
        if isinstance(one, QAbstractButton):
            one.click()
        elif isinstance(one, QComboBox):
            if one.count():
                one.setCurrentIndex(self.random.randrange(one.count()))
                one.activated.emit(one.currentIndex())
        elif isinstance(one, QDoubleSpinBox):
            low, high = one.minimum(), min(one.maximum(), 1e5)
            one.setValue(self.random.uniform(low, max(low, high)))
        elif isinstance(one, QLineEdit):
            one.setText(self.random.choice(TEXTS))
            one.editingFinished.emit()

    def step(self) -> None:
        """An action of the table, a drag on a plot, a key, or another recording."""
        what = self.random.random()
        if what < 0.68:
            from tonecomb.desktop.actions import ACTIONS

            actions = [one for one in ACTIONS if one.text not in NEVER]
            chosen = self.random.choice(actions)
            action = self.bench.action(chosen.text)
            self.watchdog.doing = chosen.text
            if action.isEnabled():
                action.trigger()
        elif what < 0.85:
            self.drag()
        elif what < 0.95:
            self.watchdog.doing = "key"
            QTest.keyClick(QApplication.focusWidget() or self.bench, self.random.choice(KEYS))
        else:
            self.watchdog.doing = "choose another"
            refs = self.bench.store.document.recordings
            if refs:
                from tonecomb.core.method.document import select

                ref = self.random.choice(refs)
                chosen = select(self.bench.store.document, ref.id, 0)
                self.bench.store.apply("Choose", chosen)

    def drag(self) -> None:
        import pyqtgraph as pg

        plots = [one for one in self.bench.findChildren(pg.PlotWidget) if one.isVisible()]
        if not plots:
            return
        plot = self.random.choice(plots)
        self.watchdog.doing = f"drag on {type(plot).__name__}"
        view = plot.viewport()

        def at() -> QPoint:
            return QPoint(
                self.random.randrange(max(view.width(), 1)),
                self.random.randrange(max(view.height(), 1)),
            )

        held = self.random.choice(
            (
                Qt.KeyboardModifier.NoModifier,
                Qt.KeyboardModifier.ControlModifier,
                Qt.KeyboardModifier.ShiftModifier,
            )
        )
        QTest.mousePress(view, Qt.MouseButton.LeftButton, held, at())
        for _ in range(3):
            QTest.mouseMove(view, at())
            QTest.qWait(10)
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, held, at())


def memory_mb() -> int:
    """Of its own: pages of files that are mapped are anybody's."""
    return resident() >> 20


def main(demo: Path, work: Path, seed: int, steps: int) -> None:
    folder = work / "recordings"
    shutil.copytree(demo, folder, ignore=shutil.ignore_patterns("*.json"))
    (work / "out").mkdir()
    os.chdir(work)
    faults: list[str] = []
    watchdog = Watchdog()

    def defect(kind: Any, error: Any, trace: Any) -> None:
        told = "".join(traceback.format_exception(kind, error, trace)[-6:])
        faults.append(f"{watchdog.doing}: {told}")
        print(told, file=sys.stderr)
        traceback.clear_frames(trace)

    def say(kind: Any, context: Any, text: str | None) -> None:
        if text and not any(one in text for one in NOISE):
            faults.append(f"Qt: {text}")
            print(f"Qt: {text}", file=sys.stderr)

    def warn(message: Any, *_: Any, **__: Any) -> None:
        told = "".join(traceback.format_stack()[-8:])
        faults.append(f"{watchdog.doing}: {message} {told}")

    warnings.showwarning = warn
    give_memory_back()
    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    sys.excepthook = defect
    threading.excepthook = lambda args: defect(args.exc_type, args.exc_value, args.exc_traceback)
    qInstallMessageHandler(say)
    bench = Bench()
    bench.resize(1280, 800)
    bench.show()
    hand = Hand(bench, folder, seed, watchdog)
    asking: dict[str, Callable[..., Any]] = {
        "getOpenFileName": hand.file_to_open,
        "getOpenFileNames": hand.files_to_open,
        "getSaveFileName": hand.file_to_save,
        "getExistingDirectory": lambda *_: str(folder),  # not all that lies on this disk
    }
    for name, answer in asking.items():
        setattr(QFileDialog, name, answer)
    bench.opening.open_paths(sorted(folder.iterdir())[:4])
    settle(bench)
    beat = QTimer()
    beat.timeout.connect(watchdog.beat)
    beat.setTimerType(Qt.TimerType.PreciseTimer)
    beat.start(BEAT_MS)
    watchdog.last, watchdog.worked = time.monotonic(), time.thread_time()
    before = memory_mb()
    for _ in range(steps):
        hand.step()
        QTest.qWait(hand.random.choice((0, 5, 20, 60, 150)))
    watchdog.doing = "the end"
    settle(bench)
    beat.stop()
    watchdog.stop()
    QTest.qWait(12_000)  # the bench rests
    full, busy = memory_mb(), bench.context.scheduler.busy
    memory = Memory(bench.store, bench.context.scheduler, bench.context.envelopes)
    kept = memory.words()
    memory.let_go()
    sources = {one.name: one.read_bytes() for one in hand.files}
    touched = [name for name, was in sources.items() if was != (demo / name).read_bytes()]
    holds = sorted(watchdog.holds)[::-1]
    print(
        json.dumps(
            {
                "faults": faults,
                "longest_ms": [round(1000 * one) for one in holds[:10]],
                "own_ms": [round(1000 * one) for one in sorted(watchdog.own)[::-1][:40]],
                "told": sorted(watchdog.told)[::-1][:20],
                "memory_mb": [before, full, memory_mb()],
                "kept": kept,
                "busy": busy,
                "touched": touched,
                "steps": steps,
            }
        )
    )
    sys.stdout.flush()
    bench.live.end()
    bench.store.mark_saved(work / "end.tcomb", bench.store.document)
    bench.close()
    del app


def settle(bench: Any) -> None:
    for _ in range(600):
        QTest.qWait(50)
        if not bench.context.scheduler.busy and QApplication.activeModalWidget() is None:
            return


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4]))
