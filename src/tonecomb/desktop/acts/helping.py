"""Help: finding an action, all keys, the guide, and what this program is."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QMessageBox,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.say.glossary import GLOSSARY
from tonecomb.desktop.actions import ACTIONS, GESTURES, MENUS
from tonecomb.desktop.dialogs.finder import Finder
from tonecomb.desktop.kit import settings
from tonecomb.desktop.state.memory import Memory
from tonecomb.version import __version__


def keys_html() -> str:
    """Every key and gesture as a table."""
    parts = []
    for menu in MENUS:
        rows = [action for action in ACTIONS if action.menu == menu and action.keys]
        parts.append(
            f"<h3>{menu}</h3>" + _table([(a.keys, a.text.rstrip("…"), a.tip) for a in rows])
        )
    parts.append("<h3>Mouse</h3>" + _table([(gesture, does, "") for gesture, does in GESTURES]))
    return "".join(parts)


def _table(rows: list[tuple[str, str, str]]) -> str:
    cells = "".join(
        f"<tr><td width='190' style='font-weight:600'>{escape(a)}</td>"
        f"<td width='190'>{escape(b)}</td>"
        f"<td>{escape(c)}</td></tr>"
        for a, b, c in rows
    )
    return f"<table cellpadding='3'>{cells}</table>"


def words_html() -> str:
    """Every word and its meaning as a table."""
    rows = "".join(
        f"<tr><td width='140' style='font-weight:600'>{escape(word)}</td>"
        f"<td>{escape(text)}</td></tr>"
        for word, text in GLOSSARY.items()
    )
    return f"<table cellpadding='3'>{rows}</table>"


class HelpPage(QDialog):
    """A page to read."""

    def __init__(self, parent: QWidget, title: str, html: str, size: tuple[int, int]) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        column = QVBoxLayout(self)
        text = QTextBrowser()
        text.setOpenExternalLinks(True)
        text.setHtml(html)
        column.addWidget(text)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.resize(*size)


GUIDE = """
<h2>From a file to a report</h2>
<p><b>1. Open</b> a recording: drop it on the window or press Ctrl+O. The shelf shows its
channels; hover over its name to see how the sample rate was found. Where something had to be
guessed, a preview says what was understood: put it right where it stands. A channel in FS or
counts is calibrated with Shift+C. C conditions the recording, Shift+D derives channels.</p>
<p><b>2. Choose the stretch.</b> Drag over the part of the waveform that you trust. All of it is
analysed; the ruler says how much of it the frames cover. Ochre bands are missing samples, dashed
lines gaps, red edges clipping. Ctrl+drag measures and counts periods; Shift+A shows all channels,
Shift+O lays them over each other, Shift+M puts a note.</p>
<p><b>3. Read the method line.</b> It says how the curve below it was made. Click a phrase to
change it, or press E and go along it with the arrow keys. Take <i>amplitude</i> for tones and
<i>PSD</i> for noise. Shift+P keeps the method as a preset. Shift+X strikes out a part whose frames
should not count.</p>
<p><b>4. Watch the ruler.</b> Tones closer than “told apart from” show as one. A longer frame
([ and ]) tells closer ones apart; zero padding does not.</p>
<p><b>5. Read the peaks.</b> Their frequencies and amplitudes are fitted to the samples, between
the bins, over the whole stretch. The figure in brackets is one standard deviation in units of
the last digit. Click a peak to go to it. One that is wider than the window's line is fitted as a
resonance: its damping stands below, the fit is drawn over the data. The cautions below say when a
reading should not be trusted; a click follows their advice. Shift+L says which levels are read,
with the zones that you type, K draws the 95 % band, U the noise floor, 3 the phase of a single
frame. By hand: I picks a peak at the cursor, J marks one in every view, R names it, Shift+R sets it
aside, F fits one resonance or two to a range that you drag. T describes the machine: its shaft
gives orders (O), its known
frequencies name peaks. Q shows only rows that hold what you type.</p>
<p><b>6. Find the combs.</b> Shift+B finds families of harmonics and sidebands among the peaks, B
drops a comb at the cursor. Drag one of its teeth: the fundamental follows, and snaps to the tones
when you let go. Right-click a comb in the readings for more.</p>
<p><b>7. See how it changes.</b> 4 puts the spectrogram below the spectrum; drag the ends of its
colour scale, click it to see the frame there beside the average, Ctrl+drag a box to analyse that
time. The keys , and . step from frame to frame, Ctrl+. plays them, the slider above drags along
time; with “Read it” (Shift+,) readings and combs are of that frame alone. G goes to the waveform
with the tone's crests ticked. 5 shows slices in relief, 6 tracks, levels, crest factor and
kurtosis against time; Shift+T chooses what is followed. 7 looks at a run-up by its shaft's angle:
Shift+F says what tells the speed, a comb or a tachometer. Orders stand
still there; what keeps its frequency is a resonance that they sweep through. Where a speed only
breathes, Shift+Y resamples to the machine’s time.</p>
<p><b>8. Compare.</b> H holds the curve; click it on the shelf to hide it. Shift+H draws the ratio
or the difference of the curve now to it, Shift+V puts them side by side, Shift+S holds the same
method over several channels.</p>
<p><b>9. Try it on a signal you know.</b> Ctrl+M makes one of parts: click a word to change it, or
turn the wheel over it. What was put in stands beside what was read. File has signals to try; Signal
has what a slower logger would show of any recording, and the check against a known tone.</p>
<p><b>10. Measure live.</b> Ctrl+L listens to a stream, a sound input, or plays a file as if
live; File has a simulated node to try, whose motor Ctrl+Shift+Up turns up. Everything follows the
last seconds, or all since a restart. “Watch…” has captures and alarms pile up in the readings;
Ctrl+F freezes, Ctrl+Shift+K keeps.</p>
<p><b>11. Knock on it.</b> 0 looks between channels, Shift+G chooses which: taps are found, H1, H2
or Hv drawn with coherence, modes fitted where a range is named. Delete sets a tap aside.</p>
<p><b>12. Report.</b> Ctrl+R saves one HTML file, or a PDF, with the method, the pictures, the peaks
and the source's SHA-256; Ctrl+Shift+R says who it is for. It holds its session: opened, it is that,
and <i>tone-comb check</i> says whether it still holds. Ctrl+S saves the session.</p>
<p><b>13. The same over many.</b> Drop a folder of recordings, or press Ctrl+Shift+O: all by the
method as it is, with limits, and an overview whose rows open the recording.</p>
"""


class Helping:
    """What the Help menu does."""

    def __init__(self, window: QWidget, anchor: QWidget, memory: Memory) -> None:
        self._window, self._anchor, self._memory = window, anchor, memory
        self.actions: Iterable[QAction] = ()

    def find_action(self) -> None:
        finder = Finder(self._window, list(self.actions))
        finder.open_below(self._anchor, finder.field)
        middle = self._window.mapToGlobal(self._window.rect().center()).x()
        finder.move(middle - finder.width() // 2, finder.y())

    def show_keys(self) -> None:
        HelpPage(self._window, "Keys", keys_html(), (760, 620)).exec()

    def show_guide(self) -> None:
        HelpPage(self._window, "The job in words", GUIDE, (620, 560)).exec()

    def show_words(self) -> None:
        HelpPage(self._window, "Words", words_html(), (620, 560)).exec()

    def show_memory(self) -> None:
        """Who holds what, until it is closed."""
        told = QMessageBox(self._window)
        told.setWindowTitle("Memory")
        told.setText(self._memory.words())
        told.setInformativeText(
            "Emptying costs no work: samples are read, and results computed, again when they are "
            "wanted."
        )
        empty = told.addButton("Empty", QMessageBox.ButtonRole.ActionRole)
        told.addButton(QMessageBox.StandardButton.Close)
        told.exec()
        if told.clickedButton() is empty:
            self._memory.let_go()
            self.show_memory()

    def show_about(self) -> None:
        QMessageBox.about(
            self._window,
            "About Tone Comb",
            f"Tone Comb {__version__}\nFrequency analysis of vibration recordings.\n\n"
            f"Free software under the GNU GPL, version 3 or later.\n"
            f"Log: {settings.data_folder() / 'log.txt'}",
        )
