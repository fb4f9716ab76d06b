"""The stage: waveform and spectrum, one or both, what goes with the spectrum below or beside it,
or a word on how to begin."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QPushButton,
    QSplitter,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.analysis import Analysis
from tonecomb.core.method import LEAVES_OUT
from tonecomb.core.record.recording import whole
from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.edits.held import HeldTraces
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import Number, Popover, label, link, panel, row
from tonecomb.desktop.method_line.popovers import set_stretch
from tonecomb.desktop.stage.against import AgainstPane
from tonecomb.desktop.stage.frame_bar import FrameBar
from tonecomb.desktop.stage.frame_pane import FramePane
from tonecomb.desktop.stage.frame_place import FramePlace
from tonecomb.desktop.stage.gram_pane import GramPane
from tonecomb.desktop.stage.lanes import Lanes
from tonecomb.desktop.stage.phase import PhasePane
from tonecomb.desktop.stage.plot import Plot
from tonecomb.desktop.stage.progress_strip import ProgressStrip
from tonecomb.desktop.stage.run_up import RunUpPane
from tonecomb.desktop.stage.spectrum import SpectrumView
from tonecomb.desktop.stage.trend import TrendPane
from tonecomb.desktop.stage.upright import MarkedLines
from tonecomb.desktop.stage.waterfall.pane import WaterfallPane
from tonecomb.desktop.state.grams import Grams, RunUps, SliceResults, Trends
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.moments import Moments, Player
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.store import Store
from tonecomb.desktop.state.waveform_facts import WaveformFacts


@dataclass(frozen=True)
class _Limits:
    """An axis whose limits can be typed: its unit, decimals, and what may be typed."""

    title: str
    unit: str
    digits: int
    allowed: tuple[float, float]


class Stage(QWidget):
    """Holds the views. ``views`` are in the order of their keys. Below the spectrum stand, when
    they are wanted, ``phase`` and ``against``; beside it the spectrum of a held trace."""

    def __init__(
        self,
        store: Store,
        results: Results,
        facts: WaveformFacts,
        held: HeldTraces,
        grams: Grams,
        trends: Trends,
        slices: SliceResults,
        run_ups: RunUps,
        moments: Moments,
        player: Player,
        jobs: Jobs,
        open_file: Callable[[], object],
        open_demo: Callable[[], object],
    ) -> None:
        super().__init__()
        self._store, self._results, self._held = store, results, held
        self._moments = moments
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame = panel()
        outer.addWidget(frame)
        self._pages = QStackedLayout(frame)
        self._pages.setContentsMargins(4, 4, 4, 4)
        self._pages.addWidget(self._empty_page(open_file, open_demo))
        self.lanes, self.spectrum = Lanes(results, facts), SpectrumView()
        self.waveform = self.lanes.main
        self.views: tuple[Lanes | SpectrumView, ...] = (self.lanes, self.spectrum)
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.splitter.setChildrenCollapsible(False)
        self.spectrum.setMinimumHeight(180)  # the lanes need more, the more there are of them
        self.second = SpectrumView()
        self._titles = (label("", "quiet"), label("", "quiet"))
        self._area = self._spectra()
        self.phase = PhasePane(lambda: store.edit_method("Choose average", average="single"))
        self.against = AgainstPane(held)
        self.gram = GramPane(grams, results)
        self.trend = TrendPane(trends)
        self.waterfall = WaterfallPane(slices, jobs, self.spectrum, self._mark_times)
        self.run_up = RunUpPane(run_ups)
        self.frame = FramePane()
        self.panes = (
            self.gram, self.waterfall, self.trend, self.run_up, self.frame, self.phase,
            self.against,
        )  # fmt: skip
        for pane in self.panes:
            pane.setMinimumHeight(190)
            pane.hide()
        parts = ((self.lanes, 3), (self._area, 7), (self.gram, 7), (self.waterfall, 7),
                 (self.trend, 5), (self.run_up, 7), (self.frame, 3), (self.phase, 3),
                 (self.against, 3))  # fmt: skip
        for part, share in parts:
            self.splitter.addWidget(part)
            self.splitter.setStretchFactor(self.splitter.count() - 1, share)
        self.splitter.setSizes([190, 440, 400, 400, 300, 400, 220, 200, 200])
        for follower in (self.second, self.gram.plot, self.phase.plot, self.against.plot):
            follower.follow(self.spectrum)
        self.second.setYLink(self.spectrum)
        over_frequency = (
            self.spectrum, self.second, self.gram.plot, self.phase.plot, self.against.plot
        )  # fmt: skip
        self._marked = tuple(MarkedLines(plot) for plot in over_frequency)
        self._shaft: float | None = None
        self.orders = True
        self.frame_place = FramePlace(self.waveform)
        moments.moved.connect(self._show_moment)
        moments.changed.connect(self.spectrum.show_frame)
        moments.changed.connect(self.frame.show_frame)
        for gram in (self.gram.plot, self.gram.sideways):
            gram.time_clicked.connect(moments.go)
            gram.box_chosen.connect(self._ask_box)
        self.gram.sideways.follow(self.spectrum, self.waveform)
        self.gram.sideways.pointed.connect(self._point_at)
        self.gram.turned.connect(self._name_axis)
        self.gram.picture.pointed.connect(self.spectrum.frames.show_row)
        self.trend.clicked.connect(moments.go)
        self.run_up.clicked.connect(moments.go)
        self.waterfall.view.slice_chosen.connect(moments.go)
        self.trend.follow(self.waveform)
        self.trend.pointed.connect(self._point_at)
        self.run_up.pointed.connect(self._point_at)
        shown = QWidget()
        column = QVBoxLayout(shown)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.frame_bar = FrameBar(moments, player)
        column.addWidget(self.frame_bar)
        column.addWidget(self.splitter, 1)
        self._pages.addWidget(shown)
        self._strip = ProgressStrip(jobs, self)
        self._active: Plot = self.spectrum
        self.lanes.stretch_chosen.connect(self._choose_stretch)
        store.changed.connect(self.refresh)
        results.analysis_changed.connect(self.show_analysis)
        results.waiting.connect(self.spectrum.set_stale)
        held.changed.connect(self._show_held)
        self.spectrum.display_changed.connect(self._follow_display)

    def _spectra(self) -> QSplitter:
        """The spectrum, and room beside it for that of a held trace; each has its sentence above
        it while there are two."""
        both = QSplitter(Qt.Orientation.Horizontal)
        both.setChildrenCollapsible(False)
        for title, view in zip(self._titles, (self.spectrum, self.second), strict=True):
            title.setFont(font(9))
            title.setWordWrap(True)
            title.setContentsMargins(70, 2, 8, 0)
            column = QWidget()
            inside = QVBoxLayout(column)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.setSpacing(0)
            inside.addWidget(title)
            inside.addWidget(view, 1)
            title.hide()
            both.addWidget(column)
        last = both.widget(1)
        assert last is not None
        last.hide()
        return both

    @property
    def side_by_side(self) -> bool:
        """Whether a held trace stands beside the current one."""
        last = self._area.widget(1)
        return last is not None and not last.isHidden()

    def set_side_by_side(self, wanted: bool) -> None:
        """Put the held trace that is compared with beside the current one, each with its
        sentence and its resolution cell."""
        last = self._area.widget(1)
        assert last is not None
        last.setVisible(wanted)
        self._area.setSizes([500, 500])
        for title in self._titles:
            title.setVisible(wanted)
        for view in (self.spectrum, self.second):
            view.always_cell = wanted
            view.preview(None)
        if wanted:
            self._set_visible(self.spectrum, True)
        self._show_held()

    def toggle_pane(self, pane: QWidget) -> None:
        """Show phase or comparison below the spectrum, or take it away."""
        pane.setVisible(pane.isHidden())
        self._name_axis()
        if pane in (self.trend, self.run_up):
            # They are over time, as the waveform is: the spectrum makes room for them.
            self._set_visible(self.lanes, True)
            self._set_visible(self.spectrum, pane.isHidden() or not self.gram.isHidden())
            self.splitter.setSizes([160, 260, 330, 330, 420, 480, 190, 190, 190])
            return
        if pane is self.waterfall:
            # It shows the spectrum's levels itself, and takes its room.
            self._set_visible(self.lanes, pane.isHidden())
            self.splitter.setSizes([120, 220, 220, 520, 260, 260, 190, 190, 190])
        if pane is self.gram and not pane.isHidden():
            self.splitter.setSizes([120, 260, 330, 330, 260, 260, 190, 190, 190])
        if not pane.isHidden():
            self._set_visible(self.spectrum, True)
        self._held.set_comparing(not self.against.isHidden())

    def _mark_times(self) -> list[float]:
        """Times of the recording's marks (s)."""
        ref = self._store.ref
        return [] if ref is None else [mark.time for mark in ref.marks]

    def _name_axis(self) -> None:
        """The quantity is named once, below the lowest of the views over one frequency axis."""
        below = not self.gram.isHidden() and self.gram.shown is self.gram.plot
        for view in (self.spectrum, self.second):
            view.set_label("bottom", "" if below else "Frequency, Hz")
            view.bottom.showLabel(not below)

    def _set_visible(self, view: QWidget, shown: bool) -> None:
        view.setVisible(shown)
        if view is self.spectrum:
            self._area.setVisible(shown)

    def _show_held(self) -> None:
        """Held traces behind the spectrum, or one of them beside it."""
        self.spectrum.show_held([] if self.side_by_side else self._held.shown)
        if not self.side_by_side:
            return
        beside, now, trace = self._held.beside, self._results.analysis, self._held.against
        self._titles[0].setText("" if now is None else now.sentence)
        sentence = "Hold a trace (H) to have it here." if trace is None else (
            f"{trace.name}: {self._held.sentence(trace)}"
        )  # fmt: skip
        self._titles[1].setText(sentence)
        if trace is not None:
            self.second.set_colour(self._held.colour_of(trace))
        self.second.show_analysis(beside)

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        """Let the teeth of combs run through every view over frequency."""
        for plot in (
            self.spectrum, self.second, self.gram.plot, self.phase.plot, self.against.plot
        ):  # fmt: skip
            plot.combs.show_combs(combs)
        self.waterfall.show_combs(combs)
        self.gram.sideways.show_combs(combs)

    def show_marks(self, marks: Sequence[tuple[float, str]]) -> None:
        """Let marked frequencies (Hz), with their names, run through every view."""
        for lines in self._marked:
            lines.show_marks(marks)
        self.gram.sideways.show_marks(marks)

    def show_shaft(self, shaft: float | None) -> None:
        """Have an axis in orders of a shaft's frequency (Hz) where it is known."""
        self._shaft = shaft
        for view in (self.spectrum, self.second):
            view.set_shaft(shaft if self.orders else None)

    def set_orders(self, wanted: bool) -> None:
        """Show the axis in orders, or not."""
        self.orders = wanted
        self.show_shaft(self._shaft)

    def _follow_display(self) -> None:
        """One kind of axes for all that is over frequency."""
        main = self.spectrum
        self.second.set_display(log_frequency=main.log_frequency, decibels=main.decibels)
        for plot in (self.gram.plot, self.phase.plot, self.against.plot):
            plot.take_axis()
        self.gram.picture.set_decibels(main.decibels)
        self.waterfall.set_decibels(main.decibels)
        self.run_up.set_decibels(main.decibels)
        self.phase.show_analysis(self._results.analysis)
        self.against.refresh()

    def _empty_page(
        self, open_file: Callable[[], object], open_demo: Callable[[], object]
    ) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.addStretch(2)
        text = label("Drop a recording here, or open one: a sound file or a table.", "teach")
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(text)
        column.addSpacing(8)
        opening, demo = QPushButton("Open a recording"), QPushButton("Open the demo")
        opening.setToolTip("Open a recording (Ctrl+O)")
        demo.setToolTip("Open the demo recordings of the Quillbeck ropeway (Ctrl+Shift+D)")
        opening.clicked.connect(lambda: open_file())
        demo.clicked.connect(lambda: open_demo())
        column.addLayout(row(None, opening, demo, None))
        column.addStretch(3)
        return page

    def set_theme(self, theme: Theme) -> None:
        for view in (*self.views, self.second, *self.panes):
            view.set_theme(theme)
        self.frame_place.paint(theme)
        for lines in self._marked:
            lines.paint_with(theme)
        self.show_shaft(self._shaft)

    def refresh(self) -> None:
        """Follow the document."""
        recording, method = self._store.current, self._store.method
        self._pages.setCurrentIndex(0 if self._store.ref is None else 1)
        if recording is None or method is None:
            self.lanes.clear()
            return
        ref = self._store.ref
        assert ref is not None
        channel = min(method.channel, len(recording.channels) - 1)
        stretch = method.stretch or whole(recording)
        struck = method.struck if method.average in LEAVES_OUT else ()
        self.lanes.show_channels(recording, channel, ref.beside, stretch, ref.marks, struck)
        self.gram.show_recording(recording, channel, stretch)

    def show_analysis(self, analysis: Analysis | None) -> None:
        self.spectrum.show_analysis(analysis)
        self.phase.show_analysis(analysis)
        self.gram.show_analysis(analysis)
        self.waterfall.show_analysis(analysis)
        if self.side_by_side:
            self._show_held()

    def _choose_stretch(self, start: float, end: float) -> None:
        recording = self._store.current
        if recording is not None:
            set_stretch(self._store, recording, start, end)

    def _show_moment(self, span: tuple[float, float] | None) -> None:
        """Where the single frame is that the spectrum shows as well."""
        self.frame_place.show(span)
        self.frame_place.show_crests(None)
        self.gram.show_moment(None if span is None else sum(span) / 2)
        self.waterfall.view.single_out(None if span is None else sum(span) / 2)

    def _point_at(self, time: float | None) -> None:
        """The time under the cursor of one view is shown in the others."""
        self.waveform.show_cursor(time)
        self.gram.show_time(time)
        self.run_up.show_time(time)

    def _ask_box(self, start: float, end: float, low: float, high: float) -> None:
        """What is to become of a box on the spectrogram."""
        method = self._store.method
        if method is None:
            return

        def search() -> None:
            limits = replace(method.search, low=low, high=high)
            self._store.edit_method("Choose peak range", search=limits)

        def zoom() -> None:
            self.spectrum.set_limits(low, high)
            self.gram.plot.box.setYRange(start, end, padding=0)
            if self.gram.shown is self.gram.sideways:
                self.waveform.set_limits(start, end)

        self.gram.ask_box(
            [
                (f"Analyse {start:.4g}–{end:.4g} s", lambda: self._choose_stretch(start, end)),
                (f"Look for peaks in {low:.4g}–{high:.4g} Hz", search),
                ("Zoom to both", zoom),
            ]
        )

    def show_view(self, number: int) -> None:
        """Let view ``number`` (from 0) have the stage for itself."""
        for i, view in enumerate(self.views):
            self._set_visible(view, i == number)
        if number == 0:
            for pane in self.panes:
                pane.hide()
            self._name_axis()
            self._held.set_comparing(False)
        self._active = self.waveform if number == 0 else self.spectrum

    def toggle_second(self) -> None:
        """Put the other view beside the one that stands alone, or take it away again."""
        alone = any(view.isHidden() for view in self.views)
        for view in self.views:
            is_active = view is (self.lanes if self._active is self.waveform else self.spectrum)
            self._set_visible(view, alone or is_active)

    @property
    def active(self) -> Plot:
        """The view under the mouse, or else the one that was called last."""
        if self.lanes.underMouse():
            return self.waveform
        return self.spectrum if self.spectrum.underMouse() else self._active

    def show_all(self) -> None:
        """Zoom every visible view out."""
        for view in (self.waveform, self.spectrum):
            if view.isVisible():
                view.show_all()
        self.gram.plot.show_all()
        self.trend.fit()
        self.run_up.fit()
        for plot in (self.phase.plot, self.against.plot):
            plot.fit()

    def type_limits(self, side: str) -> None:
        """Type the limits of the ``bottom`` or ``left`` axis of the active view."""
        recording = self._store.current
        if recording is None:
            return
        view = self.active
        if side == "left":
            view = self.spectrum
        if view is self.waveform:
            ends, apply = self.waveform.limits(), self.waveform.set_limits
            self._limits_popover(_Limits("Time", "s", 4, (0.0, recording.duration)), ends, apply)
        elif side == "bottom":
            ends, apply = self.spectrum.limits(), self.spectrum.set_limits
            axis = _Limits("Frequency", "Hz", 3, (0.0, recording.rate / 2))
            self._limits_popover(axis, ends, apply)
        else:
            ends, apply = self.spectrum.level_limits(), self.spectrum.set_level_limits
            decibels = self.spectrum.decibels
            unit, digits = ("dB", 1) if decibels else ("", 6)
            self._limits_popover(_Limits("Level", unit, digits, (-1e9, 1e9)), ends, apply)

    def _limits_popover(
        self, axis: _Limits, now: tuple[float, float], apply: Callable[[float, float], None]
    ) -> None:
        popover = Popover(self, f"{axis.title} from … to …")
        low = Number(now[0], *axis.allowed, axis.digits, axis.unit)
        high = Number(now[1], *axis.allowed, axis.digits, axis.unit)
        low.setAccessibleName(f"{axis.title} from")
        high.setAccessibleName(f"{axis.title} to")

        def changed() -> None:
            if high.value() > low.value():
                apply(low.value(), high.value())

        def everything() -> None:
            self.show_all()
            popover.close()

        low.valueChanged.connect(changed)
        high.valueChanged.connect(changed)
        all_of_it = link("Show all", "Show the whole axis (A)", everything)
        popover.add(row(low, label("to"), high, all_of_it))
        view = self.waveform if axis.title == "Time" else self.spectrum
        popover.open_below(view, low)
        middle = view.mapToGlobal(view.rect().center())
        popover.move(middle.x() - popover.width() // 2, middle.y() - popover.height() // 2)
        low.selectAll()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._strip.place()
