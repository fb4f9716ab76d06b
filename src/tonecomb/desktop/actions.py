"""One table of every action: what it is called, its key, what it does.

Menus, shortcuts, tooltips, the list of keys and the finder are all made from it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from tonecomb.core.synthesis.starters import STARTERS, Starter
from tonecomb.desktop.kit import settings
from tonecomb.desktop.stage.pane_table import PANES
from tonecomb.desktop.stage.panes.pane import PaneSpec
from tonecomb.desktop.state.systems import system_of

if TYPE_CHECKING:
    from tonecomb.desktop.bench import Bench


@dataclass(frozen=True)
class Action:
    """``menu`` and ``text`` as they are read; ``keys`` as Qt writes them, "" for none; ``tip``
    says in a few words what it does. ``checked`` makes it an action that is on or off."""

    menu: str
    text: str
    keys: str
    tip: str
    run: Callable[[Bench], object]
    checked: Callable[[Bench], bool] | None = None
    needs_recording: bool = False
    divided: bool = False  # a line stands above it in the menu
    folder: str = ""  # the menu inside the menu that it is in


MENUS = ("File", "Edit", "View", "Signal", "Find", "Help")


def _pane(spec: PaneSpec) -> Action:
    """The action that shows a pane, or takes it away."""
    return Action(
        "View",
        spec.name,
        spec.keys,
        spec.tip,
        lambda b: b.stage.toggle_pane(spec.key),
        checked=lambda b: b.stage.shows(spec.key),
    )


def _starter(one: Starter) -> Action:
    """The action that opens a made recording to begin with."""
    tip = one.made.hint.partition("\n")[0]
    return Action(
        "File", one.title, "", tip, lambda b: b.making.begin(one.made), folder="Made signals to try"
    )


# ruff: noqa: E501 - the table is read by its columns
# fmt: off
ACTIONS: tuple[Action, ...] = (
    Action("File", "Open…", "Ctrl+O", "Open recordings, a session, or a report as the session that it is of", lambda b: b.opening.open_dialog()),
    Action("File", "Open the demo", "Ctrl+Shift+D", "Open the Quillbeck ropeway recordings", lambda b: b.opening.open_demo()),
    Action("File", "Analyse many…", "Ctrl+Shift+O", "All recordings of a folder by the method as it is, with limits, tables and an overview", lambda b: b.many.choose(), needs_recording=True),
    Action("File", "Make a signal", "Ctrl+M", "A recording of known content, described by its parts", lambda b: b.making.begin(), divided=True),
    *(_starter(one) for one in STARTERS),
    Action("File", "Save the description…", "", "Save what a made recording is made of as JSON", lambda b: b.making.save_description(), needs_recording=True),
    Action("File", "Go live…", "Ctrl+L", "Analyse a signal that is still coming: a network stream, or a file played as live", lambda b: b.live.ask(), divided=True),
    Action("File", "Go live with the ropeway's node", "", "Start the simulated sensor node, and listen to it", lambda b: b.live.go_with_node()),
    Action("File", "Turn the node's motor up", "Ctrl+Shift+Up", "One turn a second more, of the simulated node", lambda b: b.live.tell_node("+")),
    Action("File", "Turn the node's motor down", "Ctrl+Shift+Down", "One turn a second less, of the simulated node", lambda b: b.live.tell_node("-")),
    Action("File", "Break the node's bearing", "", "A sheave's bearing of the simulated node, or mend it", lambda b: b.live.tell_node("b")),
    Action("File", "Freeze the pictures", "Ctrl+F", "Let the pictures of a live signal stand still, or go on; it is recorded on", lambda b: b.live.freeze()),
    Action("File", "Restart the live averages", "Ctrl+Shift+L", "Average and hold a live signal from now on", lambda b: b.live.restart()),
    Action("File", "Watch a live signal for…", "Ctrl+Shift+W", "Captures by a trigger, and alarms, while more is received", lambda b: b.live.watching.ask()),
    Action("File", "Keep what is looked at…", "Ctrl+Shift+K", "Make a recording of the stretch of a live signal that is looked at", lambda b: b.live.keep()),
    Action("File", "Save session", "Ctrl+S", "Save the shelf and all methods", lambda b: b.workspace.save(), divided=True),
    Action("File", "Save session as…", "Ctrl+Shift+S", "Save the session to another file", lambda b: b.workspace.save_as()),
    Action("File", "Save report…", "Ctrl+R", "Save the analysis as one HTML file, or as PDF", lambda b: b.exports.export_report(), needs_recording=True, divided=True),
    Action("File", "Report's cover and sections…", "Ctrl+Shift+R", "Client, machine, remarks, logo, and which sections reports have, in which order", lambda b: b.reporting.edit()),
    Action("File", "Export picture…", "Ctrl+E", "Save what the stage shows as PNG, SVG or PDF", lambda b: b.exports.export_picture(), needs_recording=True),
    Action("File", "Export all tables…", "", "Save all tables in one workbook or HDF5 file", lambda b: b.exports.export_tables(), needs_recording=True),
    Action("File", "Export spectrum…", "", "Save the spectrum as CSV, workbook, HDF5 or UFF 58", lambda b: b.exports.export_spectrum(), needs_recording=True),
    Action("File", "Export recording…", "", "Save the recording in another format", lambda b: b.exports.export_current(), needs_recording=True),
    Action("File", "Export readings…", "", "Save the peaks, combs or resonances that are shown as a table", lambda b: b.exports.export_readings(b.readings.page), needs_recording=True),
    Action("File", "Export trend…", "", "Save tracks, levels and figures against time as a table", lambda b: b.exports.export_kind("trend"), needs_recording=True),
    Action("File", "Export orders…", "", "Save the levels of a run-up's orders over speed as a table", lambda b: b.exports.export_kind("run-up"), needs_recording=True),
    Action("File", "Export what filters changed…", "", "Save how the level of each peak changed as a table", lambda b: b.exports.export_kind("before-after"), needs_recording=True),
    Action("File", "Export levels…", "", "Save the levels with their zones as a table", lambda b: b.exports.export_readings("levels"), needs_recording=True),
    Action("File", "Quit", "Ctrl+Q", "Close the bench", lambda b: b.close(), divided=True),
    Action("Edit", "Undo", "Ctrl+Z", "Take the last edit back", lambda b: b.store.undo()),
    Action("Edit", "Redo", "Ctrl+Shift+Z", "Do again what was taken back", lambda b: b.store.redo()),
    Action("Edit", "Move recording up", "Alt+Up", "Move the recording up the shelf", lambda b: b.workspace.move_current(-1), needs_recording=True, divided=True),
    Action("Edit", "Move recording down", "Alt+Down", "Move the recording down the shelf", lambda b: b.workspace.move_current(1), needs_recording=True),
    Action("Edit", "Copy readings", "Ctrl+C", "Put the peaks, combs or resonances that are shown on the clipboard", lambda b: b.finding.copy_readings(), needs_recording=True, divided=True),
    Action("Edit", "Copy picture", "Ctrl+Shift+C", "Put what the stage shows on the clipboard", lambda b: b.exports.copy_picture(), needs_recording=True),
    Action("Edit", "Copy spectrum numbers", "", "Put the spectrum on the clipboard as text", lambda b: b.exports.copy_numbers(), needs_recording=True),
    Action("View", "Waveform", "1", "Give the waveform the whole stage", lambda b: b.stage.show_view(0)),
    Action("View", "Spectrum", "2", "Give the spectrum the whole stage", lambda b: b.stage.show_view(1)),
    Action("View", "Both views", "V", "Put a second view on the stage, or take it away", lambda b: b.stage.toggle_second()),
    *(_pane(spec) for spec in PANES),
    Action("View", "Range of all frames", "Shift+U", "Highest, median and lowest of all frames behind the curve", lambda b: b.context.watched["range"].want(not b.context.watched["range"].wanted), checked=lambda b: bool(b.context.watched["range"].wanted)),
    Action("View", "Side by side", "Shift+V", "The trace now beside a held one, each with its resolution cell", lambda b: b.stage.spectra.set_side_by_side(not b.stage.spectra.side_by_side), checked=lambda b: b.stage.spectra.side_by_side),
    Action("View", "Confidence band", "K", "Where the true spectrum lies with 95 % probability", lambda b: b.stage.spectrum.set_confidence(not b.stage.spectrum.overlays.confidence), checked=lambda b: b.stage.spectrum.overlays.confidence),
    Action("View", "Noise floor", "U", "The local noise floor that peaks are held against", lambda b: b.stage.spectrum.set_floor(not b.stage.spectrum.overlays.floor), checked=lambda b: b.stage.spectrum.overlays.floor),
    Action("View", "What is left", "", "The spectrum without what was found: tones, resonances, what runs", lambda b: b.stage.spectrum.set_left(not b.stage.spectrum.overlays.left), checked=lambda b: b.stage.spectrum.overlays.left),
    Action("View", "All channels", "Shift+A", "Waveforms of all channels, or only of the one analysed", lambda b: b.layout_.toggle_beside(), needs_recording=True, divided=True),
    Action("View", "Channels over each other", "Shift+O", "Waveforms over each other, each with its axis, or one below the other", lambda b: b.layout_.toggle_over(), checked=lambda b: b.stage.lanes.over),
    Action("View", "Measure", "M", "Two readouts on the waveform, and the periods between", lambda b: b.layout_.toggle_measure(), checked=lambda b: b.stage.lanes.measuring, needs_recording=True),
    Action("View", "Put a mark…", "Shift+M", "A note on the waveform at the cursor", lambda b: b.context.marks.put(b.stage.waveform.cursor_time), needs_recording=True),
    Action("View", "Show all", "A", "Zoom out to the whole of each axis; again: back to what was shown before", lambda b: b.stage.show_all(), divided=True),
    Action("View", "Type limits across…", "X", "Type the limits of the frequency axis, or of time under the mouse", lambda b: b.stage.type_limits("bottom"), needs_recording=True),
    Action("View", "Type limits upward…", "Y", "Type the limits of the level axis", lambda b: b.stage.type_limits("left"), needs_recording=True),
    Action("View", "Logarithmic frequency", "L", "Logarithmic or even frequency axis", lambda b: b.layout_.toggle_log(), checked=lambda b: b.stage.spectrum.log_frequency),
    Action("View", "Level in dB", "D", "Level in decibels or in the unit", lambda b: b.layout_.toggle_decibels(), checked=lambda b: b.stage.spectrum.decibels),
    Action("View", "Orders", "O", "The frequency axis in multiples of the shaft's speed as well", lambda b: b.finding.toggle_orders(), checked=lambda b: b.stage.orders and b.context.notes.knowledge.shaft is not None, needs_recording=True),
    Action("View", "Filter the readings", "Q", "Show only rows that hold what you type", lambda b: b.readings.focus_filter(), needs_recording=True),
    Action("View", "Columns of the readings…", "", "Choose the columns of the peaks or the combs", lambda b: b.readings.choose_columns(), needs_recording=True),
    Action("View", "Shelf", "Ctrl+1", "Fold the shelf away or open it", lambda b: b.layout_.toggle_column(0), checked=lambda b: not b.shelf.isHidden(), divided=True),
    Action("View", "Readings", "Ctrl+2", "Fold the readings away or open them", lambda b: b.layout_.toggle_column(2), checked=lambda b: not b.readings.isHidden()),
    Action("View", "Inch units", "", "Integrals, derivatives and levels in g, in/s and mil, or in m/s², mm/s and µm; files stay as they are", lambda b: b.method.toggle_units(), checked=lambda b: system_of(b.store.document) == "inch", divided=True),
    Action("View", "Night theme", "Ctrl+T", "Light on dark, or ink on paper", lambda b: b.layout_.toggle_theme(), checked=lambda b: b.layout_.theme.name == "Night"),
    Action("View", "Larger type", "", "Everything written larger, from the next start on", lambda b: b.layout_.toggle_type(), checked=lambda b: settings.larger_type()),
    Action("Signal", "Halve the frame", "[", "Finer in time, coarser in frequency", lambda b: b.method.scale_frame(0.5), needs_recording=True),
    Action("Signal", "Double the frame", "]", "Finer in frequency, coarser in time", lambda b: b.method.scale_frame(2), needs_recording=True),
    Action("Signal", "Previous window", ";", "Taper the frames with the window before this one", lambda b: b.method.step_window(-1), needs_recording=True),
    Action("Signal", "Next window", "'", "Taper the frames with the window after this one", lambda b: b.method.step_window(1), needs_recording=True),
    Action("Signal", "Stretch…", "S", "Type the limits of the stretch", lambda b: b.method_line.edit("stretch"), needs_recording=True, divided=True),
    Action("Signal", "Whole recording", "W", "Analyse the recording from end to end", lambda b: b.method.whole_stretch(), needs_recording=True),
    Action("Signal", "Strike out…", "Shift+X", "Leave out frames that touch a part of the stretch", lambda b: b.method.strike(), needs_recording=True),
    Action("Signal", "Edit the method", "E", "Go to the sentence with the keys: arrows, then Return", lambda b: b.method_line.take_focus(), needs_recording=True, divided=True),
    Action("Signal", "Bands or bins…", "Shift+K", "Draw bins, octave or decade bands, or the running total", lambda b: b.method_line.edit("drawn"), needs_recording=True),
    Action("Signal", "Presets…", "Shift+P", "Keep the method under a name, or use one", lambda b: b.method.show_presets(), needs_recording=True),
    Action("Signal", "Steps before the analysis…", "C", "Keep a part, filter, remove mean, line or drift, decimate, derive: in your order", lambda b: b.method_line.edit("steps"), needs_recording=True, divided=True),
    Action("Signal", "Steady the speed", "Shift+Y", "Resample to the time of a machine whose speed breathes: what turns with it stands still; again: as it was", lambda b: b.method.steady(), needs_recording=True),
    Action("Signal", "As a slower logger would show it…", "", "Hold the trace, and sample it anew: slower, coarser, with a filter before or not", lambda b: b.making.as_sampled(), needs_recording=True),
    Action("Signal", "Isolate a region", "Shift+I", "Draw an outline on the spectrogram, to be kept alone or taken out", lambda b: b.finding.outline_region(), needs_recording=True),
    Action("Signal", "Swap kept and taken out", "Shift+Z", "Have what the regions took out, and leave what they kept", lambda b: b.context.isolating.swap(), needs_recording=True),
    Action("Signal", "Derive a channel…", "Shift+D", "Sum, difference, integral or derivative of channels", lambda b: b.channels.derive(), needs_recording=True),
    Action("Signal", "Calibrate the channel…", "Shift+C", "Sensitivity, gain, offset and unit", lambda b: b.channels.calibrate(), needs_recording=True),
    Action("Signal", "Check against a known tone…", "", "How far frequency and level are off, as against a calibrator; and calibrate by it", lambda b: b.making.check(), needs_recording=True),
    Action("Signal", "Hold the trace", "H", "Keep the curve for comparison while the method changes", lambda b: b.context.held.hold(), needs_recording=True),
    Action("Signal", "What changed", "Ctrl+H", "List what came, went, moved, grew and fell since the trace that was held", lambda b: b.readings.show_page("changes"), needs_recording=True),
    Action("Signal", "Same method over several channels…", "Shift+S", "Analyse channels or recordings alike and hold their traces", lambda b: b.method.hold_several(), needs_recording=True),
    Action("Signal", "Listen", "Space", "Hear the stretch as it is analysed, or stop", lambda b: b.listening.toggle(), checked=lambda b: b.listening.playing, needs_recording=True, divided=True),
    Action("Signal", "Listen to the visible frequencies", "Ctrl+Space", "Hear only what the frequency axis shows", lambda b: b.listening.toggle(narrow=True), needs_recording=True),
    Action("Signal", "Before or after", "Z", "While listening: hear the other of before and after what the steps took out", lambda b: b.listening.swap(), needs_recording=True),
    Action("Signal", "Run again", "F5", "Run the analysis again after it was stopped", lambda b: b.context.results.again(), needs_recording=True),
    Action("Find", "Peaks…", "P", "Change which peaks are found", lambda b: b.readings.edit_search(), needs_recording=True),
    Action("Find", "Pick a peak", "I", "Count the highest point at the cursor as a peak, however low it is", lambda b: b.finding.pick_peak(), needs_recording=True),
    Action("Find", "Name the peak or mode…", "R", "Give the chosen peak, or mode, a name", lambda b: b.finding.name(), needs_recording=True),
    Action("Find", "Set the peak or mode aside…", "Shift+R", "One that is known and does not matter, or take it back", lambda b: b.finding.set_aside(), needs_recording=True),
    Action("Find", "Mark the peak", "J", "A line through every view at the chosen peak, or take it away", lambda b: b.context.notes.mark(b.readings.current_peak()), needs_recording=True),
    Action("Find", "Machine…", "T", "Its shaft's speed, and known frequencies that name peaks", lambda b: b.finding.describe_machine(), needs_recording=True),
    Action("Find", "Drop a comb", "B", "Harmonics of the tone at the cursor", lambda b: b.finding.drop_comb(), needs_recording=True, divided=True),
    Action("Find", "Find combs", "Shift+B", "Families of harmonics and sidebands among the peaks", lambda b: b.finding.find_combs(), needs_recording=True),
    Action("Find", "Type a comb…", "Ctrl+B", "Harmonics of a fundamental that you type", lambda b: b.context.combs.type_new(), needs_recording=True),
    Action("Find", "Sidebands about the peak", "", "A comb of sidebands about the chosen peak", lambda b: b.context.combs.sidebands_at(b.readings.current_peak()), needs_recording=True),
    Action("Find", "Remove the comb", "Delete", "Take the comb away that is chosen in the readings; set a chosen tap or capture aside, or take it back", lambda b: b.finding.delete(), needs_recording=True),
    Action("Find", "Fit a resonance…", "F", "Drag over a range, and fit one mode or two", lambda b: b.finding.choose_fit(not b.stage.spectrum.drag.choosing), checked=lambda b: b.stage.spectrum.drag.choosing, needs_recording=True),
    Action("Find", "Levels…", "Shift+L", "Say which levels are read, and their zones", lambda b: b.method.edit_levels(), needs_recording=True),
    Action("Find", "Next peak", "N", "Go to the next peak in the readings", lambda b: b.readings.step(1), needs_recording=True),
    Action("Find", "Previous peak", "Shift+N", "Go to the peak before in the readings", lambda b: b.readings.step(-1), needs_recording=True),
    Action("Find", "Lower peaks", "Ctrl+PgDown", "List the peaks that are lower than those listed", lambda b: b.readings.peaks.turn(1), needs_recording=True),
    Action("Find", "Higher peaks", "Ctrl+PgUp", "List the peaks that are higher than those listed", lambda b: b.readings.peaks.turn(-1), needs_recording=True),
    Action("Find", "Follow…", "Shift+T", "Choose tones and combs to follow from frame to frame", lambda b: b.finding.edit_tracks(), needs_recording=True),
    Action("Find", "Shaft of a run-up…", "Shift+F", "What tells the shaft's speed, and which orders are followed", lambda b: b.finding.choose_shaft(), needs_recording=True),
    Action("Find", "Transfer function…", "Shift+G", "Between which channels, from taps or what runs, and where modes are looked for", lambda b: b.finding.choose_transfer(), needs_recording=True),
    Action("Find", "Set the tap aside", "Shift+Space", "The chosen tap does not count, or does again", lambda b: b.readings.modes.set_aside(), needs_recording=True),
    Action("Find", "Set the first and last tap aside", "", "The hands on structure and recorder are no taps", lambda b: b.readings.modes.ends(), needs_recording=True),
    Action("Find", "Sketch of the structure…", "", "Where channels sit and which way they look: mode shapes are drawn on it", lambda b: b.finding.sketch(), needs_recording=True),
    Action("Find", "Next frame", ".", "Show the spectrum of the next single frame beside the average", lambda b: b.context.moments.step(1), needs_recording=True, divided=True),
    Action("Find", "Previous frame", ",", "Show the spectrum of the single frame before", lambda b: b.context.moments.step(-1), needs_recording=True),
    Action("Find", "Play the frames", "Ctrl+.", "Show one frame after the other, or stop", lambda b: b.context.player.toggle(), checked=lambda b: b.context.player.playing, needs_recording=True),
    Action("Find", "Read the single frame", "Shift+,", "Readings, peaks and combs of the frame that is shown, or of all frames", lambda b: b.context.moments.follow(not b.context.moments.followed), checked=lambda b: b.context.moments.followed, needs_recording=True),
    Action("Find", "No single frame", "Shift+.", "Leave the single frame", lambda b: b.context.player.leave(), needs_recording=True),
    Action("Find", "Go to the waveform", "G", "The waveform there, with the crests of the tone ticked", lambda b: b.going.go(), needs_recording=True),
    Action("Help", "Find an action…", "Ctrl+K", "Run any action by its name", lambda b: b.helping.find_action()),
    Action("Help", "Keys", "F1", "All keys and what they do", lambda b: b.helping.show_keys()),
    Action("Help", "Doing the job", "", "Walk through one job on the demo, with the real controls; leave it at any time", lambda b: b.tour.start()),
    Action("Help", "The job in words…", "", "From a file to a report on one page", lambda b: b.helping.show_guide()),
    Action("Help", "Words…", "", "What the program means by stretch, comb, tooth and its other words", lambda b: b.helping.show_words()),
    Action("Help", "Memory…", "", "What takes memory, and letting go of what can be made again", lambda b: b.helping.show_memory()),
    Action("Help", "About Tone Comb", "", "Version, licence, log file", lambda b: b.helping.show_about()),
)
# fmt: on

# What the mouse does, for the list of keys.
GESTURES = (
    ("Drag on the waveform", "Select the stretch"),
    ("Drag an edge of the stretch", "Move that edge"),
    ("Ctrl+drag on the waveform", "Measure: two readouts and the periods between"),
    ("Click a mark", "Change its note, or remove it"),
    ("Click on the spectrogram", "Show the spectrum of the frame there"),
    ("Drag on the spectrogram", "Zoom in on frequencies and time"),
    (
        "Ctrl+drag on the spectrogram",
        "Analyse that time, look for peaks there, keep it alone, take it out, or zoom",
    ),
    ("Drag the line of the single frame, or its slider", "Go along time frame by frame"),
    ("Drag an end of the colour scale", "Change which levels the colours show"),
    ("Shift+I, then drag on the spectrogram", "Draw an outline, to be kept alone or taken out"),
    ("Drag on the waterfall, wheel", "Turn and tilt it, scale its height"),
    ("Click a slice of the waterfall", "Single it out, and show its frame beside the average"),
    ("Drag a tooth of a comb", "Move the comb: the fundamental follows; let go, and it snaps"),
    ("Drag an edge of a filter's response", "Move that edge; let go, and it is applied"),
    ("Drag on the spectrum", "Zoom in; a tall box zooms the level too"),
    ("F, then drag on the spectrum", "Fit a resonance to the range"),
    ("Right-click a row of the readings", "What can be done with it"),
    ("Shift+drag, or drag with the middle button", "Move the view"),
    ("Drag on an axis", "Move along that axis"),
    ("Wheel, Ctrl+wheel", "Zoom across, zoom upward"),
    ("Double click", "Show all"),
)
