"""The stage: waveform and spectrum, one or both, the panes that are wanted below them, or a word on
how to begin."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QScrollArea, QSplitter, QStackedLayout, QVBoxLayout, QWidget

from tonecomb.core.method.document import Mark
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.steps.regions import RegionBox
from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.edits.stretch import set_stretch
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import panel
from tonecomb.desktop.stage.bars.frame_bar import FrameBar
from tonecomb.desktop.stage.bars.listen_bar import ListenBar
from tonecomb.desktop.stage.bars.live_bar import LiveBar
from tonecomb.desktop.stage.bars.progress_strip import ProgressStrip
from tonecomb.desktop.stage.empty_page import EmptyPage
from tonecomb.desktop.stage.limits import Limits, type_limits
from tonecomb.desktop.stage.made_panes import MadePanes, catch_up, shown_now
from tonecomb.desktop.stage.maker.maker import Maker
from tonecomb.desktop.stage.pane_table import PANES
from tonecomb.desktop.stage.panes.pane import Pane, PaneSpec, Views
from tonecomb.desktop.stage.plots import box_menu
from tonecomb.desktop.stage.plots.upright import MarkedLines
from tonecomb.desktop.stage.spectrum.spectra import Fading, Spectra
from tonecomb.desktop.stage.waveform.frame_place import FramePlace
from tonecomb.desktop.stage.waveform.lanes import Lanes
from tonecomb.desktop.stage.waveform.samples_seen import SamplesSeen
from tonecomb.desktop.state.store import Store

_VIEWS = 2
_ALONE = (190, 440)  # shares of waveform and spectrum with nothing below them
_ABOVE = (140, 260)  # with a pane below


class Stage(QWidget):
    """``views`` are in the order of their keys, ``panes`` by theirs. ``edit_wanted`` carries the
    key of the pane whose contents are to be chosen, ``arranged`` when one came or went."""

    edit_wanted = pyqtSignal(str)
    arranged = pyqtSignal()

    def __init__(
        self, context: Context, open_file: Callable[[], object], open_demo: Callable[[], object]
    ) -> None:
        super().__init__()
        self._context, self._store = context, context.store
        self.spectra = Spectra(context)
        self.spectrum = self.spectra.main
        self.lanes = Lanes(context.envelopes, context.figures)
        self.waveform = self.lanes.main
        self.views: tuple[QWidget, QWidget] = (self.lanes, self.spectra)
        self.specs = {spec.key: spec for spec in PANES}
        self.panes = MadePanes(list(self.specs), self._make_pane)
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.splitter.setChildrenCollapsible(False)
        for part, share in ((self.lanes, 3), (self.spectra, 7)):
            self.splitter.addWidget(part)
            self.splitter.setStretchFactor(self.splitter.count() - 1, share)
        self._shaft: float | None = None
        self.more_marks: list[Callable[[], tuple[Mark, ...]]] = []
        self._names: object = None
        self.orders = True
        self.frame_place = FramePlace(self.waveform)
        self.samples = SamplesSeen(context, self.waveform)
        self._active: Plot = self.spectrum
        self._fading = Fading(self.spectrum, context.scheduler)
        for view, name in ((self.waveform, "Waveform"), (self.spectrum, "Spectrum")):
            view.setAccessibleName(name)
        self.marked = [MarkedLines(plot) for plot in self.spectra.views]
        for view, lines in zip(self.spectra.views, self.marked, strict=True):
            view.marks.heads = lines.heads
        self._lay_out(open_file, open_demo)
        self._connect()
        self._arrange()

    def _lay_out(self, open_file: Callable[[], object], open_demo: Callable[[], object]) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame = panel()
        outer.addWidget(frame)
        self._pages = QStackedLayout(frame)
        self._pages.setContentsMargins(4, 4, 4, 4)
        self.empty = EmptyPage(open_file, open_demo)
        self._pages.addWidget(self.empty)
        shown = QWidget()
        column = QVBoxLayout(shown)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.frame_bar = FrameBar(self._context.moments, self._context.player)
        self.maker = Maker(self._context)
        column.addWidget(self.maker)
        column.addWidget(self.frame_bar)
        self.live_bar = LiveBar()
        column.addWidget(self.live_bar)
        self.listen_bar = ListenBar()
        column.addWidget(self.listen_bar)
        # Where the views need more height than there is, one scrolls: the window does not grow.
        self._scroll = QScrollArea()
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll.setWidget(self.splitter)
        column.addWidget(self._scroll, 1)
        self._pages.addWidget(shown)
        scheduler = self._context.scheduler
        self.progress = ProgressStrip(self._context.jobs, self, lambda: scheduler.lively)

    def _make_pane(self, key: str) -> Pane:
        """A pane that is as it would be had it been there from the start."""
        spec, context = self.specs[key], self._context
        pane = spec.make(Views(context, self.spectrum, self.waveform))
        pane.hide()
        at = _VIEWS + self.panes.before(key)
        self.splitter.insertWidget(at, pane)
        self.splitter.setStretchFactor(at, spec.share // 60)
        moments = context.moments
        pane.setMinimumHeight(190)
        for plot in pane.plots:
            plot.follow(self.spectrum)
        moments.changed.connect(pane.show_frame)
        pane.clicked.connect(moments.go)
        pane.pointed.connect(self.point_at)
        pane.box_chosen.connect(self._ask_box)
        pane.turned.connect(self._name_axis)
        pane.edit_wanted.connect(lambda: self.edit_wanted.emit(key))
        self.marked += catch_up(pane, context, self.spectrum.decibels, shown_now(self._store))
        return pane

    def _connect(self) -> None:
        context = self._context
        context.moments.moved.connect(self._show_moment)
        moments = context.moments
        for moved in (moments.changed, moments.turned):
            # Over the average, or as what is read.
            moved.connect(lambda _: self.spectrum.show_frame(moments.shown, alone=moments.followed))
        context.store.changed.connect(self.refresh)
        context.store.grew.connect(
            lambda: _show_samples(self._store, self.lanes, self.panes.values(), self.more_marks)
        )
        context.results.analysis_changed.connect(self.show_analysis)
        context.results.waiting.connect(self._fading.wait)
        context.combs.changed.connect(lambda: self.show_combs(context.combs.shown))
        self.lanes.stretch_chosen.connect(lambda *ends: set_stretch(self._store, *ends))
        self.spectrum.display_changed.connect(self._follow_display)

    # Which views there are

    def toggle_pane(self, key: str) -> None:
        """Show a pane, or take it away."""
        pane, spec = self.panes[key], self.specs[key]
        pane.setVisible(pane.isHidden())
        self._make_room(spec, gone=pane.isHidden())
        self._arrange()
        if not pane.isHidden():  # once it has its place
            QTimer.singleShot(0, lambda: self._scroll.ensureWidgetVisible(pane, 0, 0))

    def shows(self, key: str) -> bool:
        """Whether a pane is there."""
        return key in self.panes and not self.panes[key].isHidden()

    def show_pane(self, key: str) -> None:
        """Have a pane there."""
        if not self.shows(key):
            self.toggle_pane(key)

    def _make_room(self, spec: PaneSpec, *, gone: bool) -> None:
        """Show what goes with a pane; what it shows itself makes room for it, and comes back with
        the last that does."""
        stays, goes = (
            (self.spectra, self.lanes) if spec.axis == "frequency" else (self.lanes, self.spectra)
        )
        if spec.axis == "its own":
            stays = self.spectra
        if not gone or spec.shows_levels:
            stays.show()
        if spec.shows_levels:
            leads = any(
                self.shows(key) and one.axis == "frequency" and not one.shows_levels
                for key, one in self.specs.items()
            )
            goes.setVisible(gone or (goes is self.spectra and leads))

    def _arrange(self) -> None:
        """Give every view its share of the height."""
        below = [key for key in self.panes if self.shows(key)]
        above = _ABOVE if below else _ALONE
        shares = [*above, *(self.specs[key].share for key in self.panes)]
        self.splitter.setSizes(shares)
        self._name_axis()
        self.arranged.emit()

    def _name_axis(self) -> None:
        """The quantity is named once, below the lowest of the views over one frequency axis."""
        self.spectra.name_axis(
            not any(
                self.shows(key)
                and spec.names_frequency
                and self.panes[key].plots[0].isVisibleTo(self.panes[key])
                for key, spec in self.specs.items()
            )
        )

    def show_view(self, number: int) -> None:
        """Let view ``number`` (from 0) have the stage for itself."""
        for i, view in enumerate(self.views):
            view.setVisible(i == number)
        if number == 0:
            for pane in self.panes.values():
                pane.hide()
            self._arrange()
        self._active = self.waveform if number == 0 else self.spectrum

    def toggle_second(self) -> None:
        """Put the other view beside the one that stands alone, or take it away again."""
        alone = any(view.isHidden() for view in self.views)
        for view in self.views:
            is_active = view is (self.lanes if self._active is self.waveform else self.spectra)
            view.setVisible(alone or is_active)

    # What runs through all views

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        """Let the teeth of combs run through every view over frequency."""
        for view in self.spectra.views:
            view.show_combs(combs)
        for pane in self.panes.values():
            for plot in pane.plots:
                plot.combs.show_combs(combs)
            pane.show_combs(combs)

    def show_marks(self, marks: Sequence[tuple[float, str]]) -> None:
        """Let marked frequencies (Hz), with their names, run through every view."""
        for lines in self.marked:
            lines.show_marks(marks)
        for pane in self.panes.values():
            pane.show_marks(marks)

    def show_shaft(self, shaft: float | None) -> None:
        """Have an axis in orders of a shaft's frequency (Hz) where it is known."""
        self._shaft = shaft
        for view in self.spectra.views:
            view.set_shaft(shaft if self.orders else None)

    def set_orders(self, wanted: bool) -> None:
        """Show the axis in orders, or not."""
        self.orders = wanted
        self.show_shaft(self._shaft)

    def _follow_display(self) -> None:
        """One kind of axes for all that is over frequency."""
        main, analysis = self.spectrum, self._context.results.analysis
        self.spectra.second.set_display(log_frequency=main.log_frequency, decibels=main.decibels)
        for pane in self.panes.values():
            for plot in pane.plots:
                plot.take_axis()
            pane.set_decibels(main.decibels)
            pane.show_analysis(analysis)

    def set_theme(self, theme: Theme) -> None:
        self.lanes.set_theme(theme)
        self.spectra.set_theme(theme)
        self.samples.set_theme(theme)
        for pane in self.panes.values():
            pane.set_theme(theme)
        self.frame_place.set_theme(theme)
        for lines in self.marked:
            lines.set_theme(theme)
        self.show_shaft(self._shaft)

    # What is shown

    def refresh(self) -> None:
        """Follow the document."""
        signal, method, ref = self._store.current, self._store.method, self._store.ref
        self._pages.setCurrentIndex(0 if ref is None else 1)
        self.maker.refresh()
        if signal is None or method is None or ref is None:
            self.lanes.clear()
            return
        _show_samples(self._store, self.lanes, self.panes.values(), self.more_marks)
        self.show_marks(self._context.notes.marks())
        if (names := (ref.peak_notes, ref.machine)) != self._names:  # which stand at the peaks
            self._names = names
            self.spectrum.refresh()
        self.show_shaft(self._context.notes.knowledge.shaft)

    def show_analysis(self, analysis: Analysis | None) -> None:
        self.spectrum.show_analysis(analysis)
        self.spectra.show_truth(analysis)
        for pane in self.panes.values():
            pane.show_analysis(analysis)
        if self.spectra.side_by_side:
            self.spectra.show_held()

    def _show_moment(self, span: tuple[float, float] | None) -> None:
        """Where the single frame is that the spectrum shows as well."""
        self.frame_place.show(span)
        self.frame_place.show_crests(None)
        for pane in self.panes.values():
            pane.show_moment(None if span is None else sum(span) / 2)

    def point_at(self, time: float | None) -> None:
        """The time under the cursor of one view is shown in the others."""
        self.waveform.show_cursor(time)
        for pane in self.panes.values():
            pane.show_time(time)

    def _ask_box(self, start: float, end: float, low: float, high: float) -> None:
        asked = self.sender()

        def zoom() -> None:
            self.spectrum.set_limits(low, high)
            if isinstance(asked, Pane) and not asked.zoom(start, end):
                self.waveform.set_limits(start, end)

        box_menu.ask(self, self._context, RegionBox(start, end, low, high), zoom)

    def show_all(self) -> None:
        """Zoom every visible view out."""
        for view in (self.waveform, self.spectrum):
            if view.isVisible():
                view.show_all()
        for pane in self.panes.values():
            pane.fit()

    def type_limits(self, side: str) -> None:
        """Type the limits of the ``bottom`` or ``left`` axis of the view under the mouse, or else
        the one that was called last."""
        signal, spectrum = self._store.current, self.spectrum
        if signal is None:
            return
        over_time = self._active is self.waveform and not spectrum.underMouse()
        over_time = over_time or self.lanes.underMouse()
        if side == "left":
            unit, digits = ("dB", 1) if spectrum.decibels else ("", 6)
            axis = Limits("Level", unit, digits, (-1e9, 1e9))
            now, apply = spectrum.level_limits(), spectrum.set_level_limits
        elif over_time:
            axis = Limits("Time", "s", 4, (0.0, signal.duration))
            now, apply = self.waveform.limits(), self.waveform.set_limits
        else:
            axis = Limits("Frequency", "Hz", 3, (0.0, signal.rate / 2))
            now, apply = spectrum.limits(), spectrum.set_limits
        view = self.waveform if axis.title == "Time" else spectrum
        type_limits(view, axis, now, apply, self.show_all)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.progress.place()


def _show_samples(
    store: Store,
    lanes: Lanes,
    panes: Iterable[Pane],
    more: Iterable[Callable[[], tuple[Mark, ...]]],
) -> None:
    """Have the samples of what is analysed in every view over time, with ``more`` marks."""
    now, ref, method = shown_now(store), store.ref, store.method
    if now is None or ref is None or method is None:
        return
    signal, channel, stretch = now
    left_out = method.averaging.left_out
    marks = tuple(mark for every in more for mark in every())
    lanes.show_channels(signal, channel, ref.beside, stretch, ref.marks + marks, left_out)
    for pane in panes:
        pane.show_signal(*now)
