"""Start-up: the application, its fonts, what happens to defects, and the first window."""

from __future__ import annotations

import contextlib
import ctypes
import faulthandler
import logging
import os
import resource
import signal
import sys
import threading
import traceback
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QLoggingCategory, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.desktop.first_look import FirstLook
from tonecomb.desktop.kit import settings
from tonecomb.formats import atomic

_SWITCH_S = 0.001
_FRAMED_MS = 300
_LARGER_DPI = 108  # for 96: 9.75 pt are read as 11
_ARENAS, _MAP_FROM, _TRIM_FROM = -8, -3, -1  # M_ARENA_MAX and others of malloc.h
_LOG = logging.getLogger("tonecomb")


def make_application(arguments: list[str]) -> QApplication:
    """The one QApplication, with our font and without platform dialogs."""
    from tonecomb.desktop.kit import tabbing
    from tonecomb.desktop.kit.theme import font, load_fonts

    # Workers hand the interpreter back sooner, so that they hardly hold the window.
    sys.setswitchinterval(_SWITCH_S)
    QApplication.setAttribute(Qt.ApplicationAttribute.AA_DontUseNativeDialogs)
    if settings.larger_type():
        # All our sizes are in points: how many pixels one has makes them larger together.
        os.environ.setdefault("QT_FONT_DPI", str(_LARGER_DPI))
    # Letters that no font has are drawn as boxes; a line for each font helps nobody.
    QLoggingCategory.setFilterRules("qt.text.font.db=false")
    app = QApplication(arguments)
    app.setApplicationName("tone-comb")
    app.setApplicationDisplayName("Tone Comb")
    app.setStyle("Fusion")
    load_fonts()
    app.setFont(font())
    app.focusChanged.connect(tabbing.leave)
    return app


def give_memory_back() -> None:
    """Have the C library return what large arrays took, and not keep a heap for every thread: a
    bench that is open all day would hold twice what it needs."""
    with contextlib.suppress(OSError, AttributeError):  # another C library
        mallopt = ctypes.CDLL(None).mallopt
        for what, value in ((_ARENAS, 2), (_MAP_FROM, 1 << 18), (_TRIM_FROM, 16 << 20)):
            mallopt(what, value)


def allow_many_files() -> None:
    """As many open files as the system lets us have: some formats keep theirs open, and a shelf may
    hold a thousand of them."""
    with contextlib.suppress(OSError, ValueError):
        _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))


def main(paths: list[Path], demo: bool = False) -> int:
    """Open the bench and run until it is closed. Returns the exit code."""
    give_memory_back()
    allow_many_files()
    _start_log()
    app = make_application(sys.argv[:1])
    # The bench is heavy to import: its ground is seen before it.
    look = FirstLook()
    look.show_now()
    from tonecomb.desktop.bench import Bench
    from tonecomb.live.receiver import remove_left_behind

    bench = Bench()
    sys.excepthook = Defects(bench.autosave.write)
    bench.show()
    QTimer.singleShot(_FRAMED_MS, look.close)
    for wait in (0, _FRAMED_MS):  # a window manager gives it its frame when it likes
        QTimer.singleShot(wait, lambda: fit_to_screen(bench))
    signal.signal(signal.SIGINT, lambda *_: bench.close())
    # Python sees signals only between its own instructions: give it some.
    beat = QTimer()
    beat.start(250)
    beat.timeout.connect(lambda: None)
    bench.offer_left_behind()
    # Live recordings of runs that were killed: gigabytes, which are not waited for.
    threading.Thread(target=remove_left_behind, daemon=True).start()
    if demo:
        QTimer.singleShot(0, bench.opening.open_demo)
    elif paths:
        QTimer.singleShot(0, lambda: bench.opening.open_paths(paths))
    return int(app.exec())


def fit_to_screen(window: QWidget) -> None:
    """Have a window, its frame included, within what the screen has free."""
    screen = window.screen()
    if screen is None or window.isMaximized() or window.isFullScreen():
        return
    free, outer = screen.availableGeometry(), window.frameGeometry()
    frame_wide, frame_tall = outer.width() - window.width(), outer.height() - window.height()
    wide = min(window.width(), free.width() - frame_wide)
    tall = min(window.height(), free.height() - frame_tall)
    if (wide, tall) != (window.width(), window.height()):
        window.resize(wide, tall)
    outer = window.frameGeometry()
    left = min(max(outer.left(), free.left()), free.right() + 1 - outer.width())
    top = min(max(outer.top(), free.top()), free.bottom() + 1 - outer.height())
    if (left, top) != (outer.left(), outer.top()):
        window.move(left, top)


def _start_log() -> None:
    folder = settings.data_folder()
    try:
        atomic.make_folder(folder)
        handler: logging.Handler = RotatingFileHandler(
            folder / "log.txt", maxBytes=1 << 20, backupCount=1, encoding="utf-8"
        )
    except (OSError, UserError):
        handler = logging.StreamHandler()
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.basicConfig(level=logging.INFO, handlers=[handler])
    if sys.stderr is not None:
        faulthandler.enable()


class Defects:
    """What happens to an exception that nobody expected: the work is saved, the defect logged
    and told, and the bench stays open."""

    def __init__(self, rescue: Callable[[], object]) -> None:
        self._rescue = rescue
        self._telling = False

    def __call__(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        if issubclass(kind, KeyboardInterrupt):
            return
        _LOG.critical("defect", exc_info=(kind, error, trace))
        # What a frame that failed still holds goes now: a painter that stays at work on a window
        # which is shown ends the process.
        traceback.clear_frames(trace)
        try:
            self._rescue()
        except Exception:  # the defect may well be in the way of saving, too
            _LOG.exception("the work could not be saved aside")
        if self._telling:
            return
        self._telling = True
        box = QMessageBox()
        box.setWindowTitle("A defect in Tone Comb")
        box.setText(
            "Something went wrong inside Tone Comb. Your work was saved aside and is offered at "
            "the next start; saving the session now and starting again is the safe way on."
        )
        box.setDetailedText(f"{kind.__name__}: {error}")
        box.setInformativeText(f"Log: {settings.data_folder() / 'log.txt'}")
        box.exec()
        self._telling = False
