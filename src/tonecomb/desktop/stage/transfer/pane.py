"""The transfer function below the spectrum: magnitude and phase with coherence, its parts, its
circle, the poles of rising order, and the modes' shapes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtWidgets import QStackedLayout, QVBoxLayout, QWidget

from tonecomb.core.method.given import Given
from tonecomb.core.method.method import Method
from tonecomb.core.modal.modes import Complex, Mode
from tonecomb.core.record.recording import Array
from tonecomb.core.results.transfer import Transfer
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import Choice, link
from tonecomb.desktop.stage.panes.pane import Views
from tonecomb.desktop.stage.panes.result_pane import ResultPane
from tonecomb.desktop.stage.transfer.plots import (
    CirclePlot,
    LadderPlot,
    ResponseCurve,
    ResponsePlot,
)
from tonecomb.desktop.stage.transfer.shapes import AlikeView, LengthsView, ShapeView
from tonecomb.formats.kinds.alike import OtherRecording

_WAYS = (
    ("level", "magnitude and phase"),
    ("unwrapped", "phase unwrapped"),
    ("parts", "real and imaginary"),
    ("circle", "circle"),
    ("poles", "poles by order"),
    ("shapes", "shapes"),
    ("alike", "likeness (MAC)"),
    ("lengths", "by frame length"),
)
_PAGES = {
    "level": 0,
    "unwrapped": 0,
    "parts": 0,
    "circle": 1,
    "poles": 2,
    "shapes": 3,
    "alike": 4,
    "lengths": 5,
}
_ROOM = 1.15  # times the range of the modes, that is brought into view


class TransferPane(ResultPane):
    """What was asked and found in words, with its editor; below it one of several pictures."""

    kind = "transfer"

    def __init__(self, views: Views) -> None:
        super().__init__(views)
        self._spectrum = views.spectrum
        self._alike = views.context.watched["alike"]
        self._by_length = views.context.watched["by-length"]
        self._store, self._notes = views.context.store, views.context.mode_notes
        self.found: Transfer | None
        self._brought = ""
        self.edit = link(
            "Choose…",
            "Reference, taps, windows, and the range of modes (Shift+G)",
            self.edit_wanted.emit,
        )
        self.way = Choice(_WAYS, "level", "How it is drawn")
        self.answer = Choice([(0, "answer")], 0, "The answer that is drawn before the others")
        self.other = Choice([("", "themselves")], "", "Against which modes they are held")
        self.way.picked.connect(lambda _: self.show_result(self.found))
        self.other.picked.connect(lambda _: self._compare())
        self._store.changed.connect(self._follow)
        self.answer.picked.connect(lambda _: self.show_result(self.found))
        self.level, self.phase, self.coherence = (ResponsePlot() for _ in range(3))
        self.coherence.left.setTickSpacing(0.5, 0.5)
        self.poles, self.circle, self.shapes = LadderPlot(), CirclePlot(), ShapeView()
        self.likeness, self.lengths = AlikeView(), LengthsView()
        self.plots = (self.level, self.phase, self.coherence, self.poles)
        curves = QWidget()
        below = QVBoxLayout(curves)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        for plot, share in ((self.level, 10), (self.phase, 5), (self.coherence, 4)):
            below.addWidget(plot, share)
        pages = QWidget()
        self._pages = QStackedLayout(pages)
        for page in (curves, self.circle, self.poles, self.shapes, self.likeness, self.lengths):
            self._pages.addWidget(page)
        bar = [self.told, None, self.other, self.answer, self.way, self.edit]
        self.lay_out(bar, pages, spacing=10)
        self.shapes.chosen.connect(self._spectrum.bring_into_view)
        for plot in (self.level, self.phase):
            plot.set_label("bottom", "")
            plot.bottom.setStyle(showValues=False)
            plot.bottom.setHeight(6)
        self._alike.changed.connect(lambda found: self.likeness.show_alike(found))
        self._by_length.changed.connect(self.lengths.show_lengths)
        self._alike.failed.connect(lambda error: self.likeness.show_alike(None, error.text))
        self.show_result(None)

    def set_theme(self, theme: Theme) -> None:
        for plot in (*self.plots, self.circle):
            plot.set_theme(theme)
        self.shapes.theme = self.likeness.theme = theme

    @property
    def sentence(self) -> str:
        return "" if self.found is None else self.found.sentence

    def fit(self) -> None:
        for plot in self.plots:
            plot.fit()

    def show_result(self, found: Transfer | None) -> None:
        self.found = found
        self.told.setToolTip("" if found is None else found.sentence)
        names = ["answer"] if found is None else [one.name for one in found.answers]
        if [self.answer.itemText(i) for i in range(self.answer.count())] != names:
            self.answer.offer_also(list(enumerate(names)), keep=0)
        way = self.way.value
        self._pages.setCurrentIndex(_PAGES[way])
        self.answer.setVisible(len(names) > 1 and _PAGES[way] < 2)
        self._compare()
        if found is None:
            self.told.setText("No reference is chosen.")
            for plot in self.plots[:3]:
                plot.show_curves(np.zeros(0), (), "", "")
            self.poles.show_modes(None)
            self.shapes.show_modes(None, self._notes.knowledge)
            return
        self.told.setText(self._words(found))
        self._bring(found)
        self._draw(found, way == "parts")
        self.poles.show_modes(found.modes)
        self.shapes.show_modes(found, self._notes.knowledge)
        self._circle(found)

    @staticmethod
    def _words(found: Transfer) -> str:
        over = "" if found.reference is None else f" over {found.reference.name}"
        what = found.answers[0].name if len(found.answers) == 1 else f"{len(found.answers)} answers"
        taps = ""
        if found.taps:
            taps = f" · {len(found.used)} of {len(found.taps)} taps"
        modes = "" if found.modes is None else f" · {len(found.modes.modes)} modes"
        return f"{what}{over}{taps}{modes}"

    def _bring(self, found: Transfer) -> None:
        """A new result is looked at where its modes are."""
        if found.modes is not None and self._brought != found.sentence:
            self._spectrum.set_limits(0.0, min(_ROOM * found.modes.high, found.fs / 2))
        self._brought = found.sentence

    def _draw(self, found: Transfer, parts: bool) -> None:
        r, chosen = found.response, self.answer.value
        fitted, radius = found.fitted, found.radius
        upper, lower = [], []
        for i, one in enumerate(found.answers):
            h, known = found.curves[i], bool(np.isfinite(radius[i]).any())
            dashed = None if fitted is None else fitted[i]
            places = None if found.modes is None else found.modes.frequency
            if parts:
                upper.append(
                    ResponseCurve(
                        one.name,
                        h.real,
                        places=places,
                        dashed=None if dashed is None else dashed.real,
                    )
                )
                lower.append(
                    ResponseCurve(
                        one.name,
                        h.imag,
                        places=places,
                        dashed=None if dashed is None else dashed.imag,
                    )
                )
                continue
            size = np.abs(h)
            upper.append(
                ResponseCurve(
                    one.name,
                    _db(size),
                    _db(np.maximum(size - radius[i], 1e-3 * size)) if known else None,
                    _db(size + radius[i]) if known else None,
                    places,
                    None if dashed is None else _db(np.abs(dashed)),
                )
            )
            lower.append(ResponseCurve(one.name, self._phase(h)))
        for plot in self.plots[:3]:
            plot.chosen = chosen
        unit = found.units[chosen]
        if parts:
            self.level.show_curves(r.frequency, upper, f"{found.title}, real part", unit)
            self.phase.show_curves(r.frequency, lower, "Imaginary part", unit)
        else:
            self.level.show_curves(r.frequency, upper, found.title, f"dB re 1 {unit}")
            limits = (0.0, 0.0) if self._unwrapped else (-190.0, 190.0)
            title = "Phase lead, unwrapped" if self._unwrapped else "Phase lead"
            self.phase.show_curves(r.frequency, lower, title, "°", limits)
        self.phase.setVisible(found.reference is not None)
        self.coherence.setVisible(r.coherence is not None)
        bare = self.coherence.isHidden()
        self.phase.bottom.setStyle(showValues=bare)
        self.phase.bottom.setHeight(None if bare else 6)
        if r.coherence is not None:
            curves = [
                ResponseCurve(one.name, r.coherence[i]) for i, one in enumerate(found.answers)
            ]
            self.coherence.show_curves(r.frequency, curves, "Coherence", "", (0.0, 1.08))
            self.coherence.floor.setValue(r.floor)
            self.coherence.floor.show()
            self.coherence.setToolTip(
                f"What has nothing in common has a coherence of {r.floor:.2g} on average (1/m)"
            )
        modes = () if found.modes is None else found.modes.modes
        self.level.tell(
            [(self._colour(i), one.name) for i, one in enumerate(found.answers)]
            if len(found.answers) > 1
            else []
        )
        self._mark(modes)  # their words keep off the legend

    @property
    def _unwrapped(self) -> bool:
        return bool(self.way.value == "unwrapped")

    def _phase(self, h: Complex) -> Array:
        """In degrees, with gaps where it wraps or without a jump from bin to bin."""
        if not self._unwrapped:
            return _wrapped(np.angle(h, deg=True))
        known = np.isfinite(h)
        phase = np.full(len(h), np.nan)
        phase[known] = np.degrees(np.unwrap(np.angle(h[known])))
        return phase

    @staticmethod
    def _colour(i: int) -> str:
        from tonecomb.desktop.kit.theme import current_theme

        traces = current_theme().traces
        return traces[i % len(traces)]

    def _circle(self, found: Transfer) -> None:
        r = found.response
        high = found.modes.high if found.modes is not None else float(r.frequency[-1])
        low = found.modes.low if found.modes is not None else 0.0
        inside = (r.frequency > low) & (r.frequency <= high)
        chosen = self.answer.value
        modes = () if found.modes is None else found.modes.modes
        at = [int(np.argmin(np.abs(r.frequency - one.frequency))) for one in modes]
        dots = found.curves[chosen][at] if at else np.zeros(0, np.complex128)
        self.circle.show_curves(
            [one[inside] for one in found.curves], chosen, dots, found.units[chosen]
        )

    def _mark(self, modes: Sequence[Mode]) -> None:
        """Modes that are not set aside, by name or frequency."""
        said, marks = self._notes.knowledge, []
        for one in modes:
            note = said.of_mode(one)
            if note is None or not note.aside:
                frequency = f"{one.frequency:.5g} Hz"
                marks.append(
                    (
                        one.frequency,
                        f"{note.name}, {frequency}" if note and note.name else frequency,
                    )
                )
        self.level.show_marks(marks)

    def _follow(self) -> None:
        """What is said of modes, where channels sit, or what there is to compare with changed."""
        transfer = self.found
        if transfer is not None and not self.isHidden():
            self._mark(() if transfer.modes is None else transfer.modes.modes)
            self.shapes.show_modes(transfer, self._notes.knowledge)
            self._compare()

    def _others(self) -> dict[str, tuple[str, OtherRecording]]:
        """What modes can be held against, by key: recordings on the shelf, and held traces whose
        method has modes."""
        ref, document = self._store.ref, self._store.document
        found = {"": ("themselves", OtherRecording())}
        if ref is None:
            return found
        wanted: list[tuple[str, str, str, Method, Given | None]] = []
        for one in document.recordings:
            if one.id != ref.id:
                wanted.append((one.id, one.name, one.id, one.method, one.given))
        for held in document.held:
            if held.method.between is not None and held.method.between.high:
                name = f"held: {held.name}"
                wanted.append((held.id, name, held.recording, held.method, held.given))
        for key, name, which, method, given in wanted:
            there = document.get(which)
            recording = (
                self._store.recording(which)
                if given is None or (there is not None and there.given == given)
                else self._store.recording_as(which, given)
            )
            if recording is None or there is None or len(recording.channels) < 2:
                continue
            text = f"{key} {recording.id} {method.frf_key()}"
            found[key] = (name, OtherRecording(text, recording, method, ref.sketch, there.sketch))
        return found

    def _compare(self) -> None:
        """Have modes held against others, or tried by other frames, while that is looked at."""
        self._by_length.want(self.way.value == "lengths" and not self.isHidden())
        looked = self.way.value == "alike" and not self.isHidden() and self.found is not None
        self.other.setVisible(self.way.value == "alike")
        if not looked or self.found is None or self.found.reference is None:
            self._alike.want(None)
            self.likeness.show_alike(None, "Shapes are of transfer functions: name a reference.")
            return
        others = self._others()
        offered = [(key, name) for key, (name, _) in others.items()]
        if [self.other.itemText(i) for i in range(self.other.count())] != [n for _, n in offered]:
            self.other.offer_also(offered, keep=0)
        self._alike.want(others.get(self.other.value, others[""])[1])

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)
        self._alike.want(None)
        self._by_length.want(False)


def _db(values: Array) -> Array:
    with np.errstate(divide="ignore", invalid="ignore"):
        level = 20 * np.log10(values)
    return np.where(np.isfinite(level), level, np.nan)


def _wrapped(degrees: Array) -> Array:
    """With gaps where the phase wraps: a line across would be one that is not there."""
    jumps = np.flatnonzero(np.abs(np.diff(degrees)) > 180)
    values = degrees.copy()
    values[jumps] = np.nan
    return values
