"""The popovers of how an estimate is shown: scaling, quantity, level, reference, bands."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QWidget

from tonecomb.core.base.units import MOTIONS, unit
from tonecomb.core.estimate.bands import FRACTIONS
from tonecomb.core.estimate.display import MOST_PER_DECADE
from tonecomb.core.estimate.weighting import fitting
from tonecomb.core.method.method import LEVELS, Method
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.kit.widgets import Choice, Number, Option, Popover, label, link, row
from tonecomb.desktop.method_line.choosing import choices
from tonecomb.desktop.state.store import Store


def _change(store: Store, what: str, **changes: Any) -> None:
    method = store.method
    if method is not None:
        display = replace(method.shown.display, **changes)
        store.edit_method(what, merge=what, display=display)


def scaling_popover(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    """What the upright axis means, of which quantity, in bins or bands."""
    channel = signal.channels[min(method.source.channel, len(signal.channels) - 1)]
    symbol, display = method.shown.display.unit(channel.unit), method.shown.display
    options = [
        Option(
            "amplitude", "Amplitude", f"True for tones, whatever the window; in {symbol.symbol}."
        ),
        Option("power", "Power", f"Square of the rms amplitude; in {symbol.power}."),
        Option("psd", "PSD", f"True for noise, whatever the window; in {symbol.density}."),
        Option(
            "amplitude-density", "Amplitude density", f"Root of the PSD; in {symbol.root_density}."
        ),
        Option(
            "energy",
            "Energy density",
            f"Of a transient that lies within one frame; in {symbol.energy}.",
        ),
    ]
    popover = choices(
        Popover(parent, "Scaling"),
        options,
        method.shown.scaling,
        lambda value: store.edit_method("Choose scaling", scaling=value),
    )
    if unit(channel.unit).quantity in MOTIONS:
        names = [("", "as it was measured"), *((name, f"as {name.lower()}") for name in MOTIONS)]
        quantity = Choice(names, display.quantity, "Quantity")
        quantity.setToolTip(
            "Divided by iω, or multiplied: levels of lines at their own frequency, the rest by bins"
        )
        low_cut = Number(display.low_cut or 0.0, 0.0, signal.rate / 2, 4, "Hz", shortest=True)
        low_cut.setSpecialValueText("auto")
        low_cut.setAccessibleName("Low cut")
        low_cut.setToolTip(
            "Nothing is shown below: an integral lifts whatever is there.\n"
            "0: from 1 Hz, or half the lowest thing that is found"
        )
        quantity.picked.connect(
            lambda value: _change(store, "Choose quantity", quantity=value, weighting="")
        )
        low_cut.valueChanged.connect(
            lambda value: _change(store, "Choose low cut", low_cut=value or None)
        )
        popover.add(row(label("Shown"), quantity, label("from"), low_cut, None))
    if weights := fitting(symbol.symbol):
        names = [("", "not weighted"), *((one.key, f"by {one.key}: {one.note}") for one in weights)]
        weighted = Choice(names, display.weighting, "Weighting")
        weighted.setToolTip("Of curves and levels; peaks keep their plain level")
        weighted.picked.connect(lambda value: _change(store, "Choose weighting", weighting=value))
        popover.add(row(label("Weighted"), weighted, None))
    popover.add(_drawn_row(store, method))
    return popover


def _drawn_row(store: Store, method: Method) -> Any:
    display = method.shown.display
    names: list[tuple[tuple[str, int], str]] = [(("bins", 0), "in every bin")]
    names += [
        (("octave", n), f"in {'octave' if n == 1 else f'1/{n}-octave'} bands") for n in FRACTIONS
    ]
    names += [(("decade", 0), "in bands a decade:"), (("total", 0), "as running total")]
    now = (display.drawn, display.bands if display.drawn == "octave" else 0)
    chooser = Choice(names, now, "Drawn")
    chooser.setToolTip("Bands show the rms of all that lies in them; densities their mean density")
    number = Number(display.bands if display.drawn == "decade" else 10, 1, MOST_PER_DECADE, 0, "")
    number.setAccessibleName("Bands a decade")
    number.setMinimumWidth(60)
    number.setVisible(display.drawn == "decade")

    def choose(value: Any) -> None:
        drawn, bands = value
        number.setVisible(drawn == "decade")
        bands = int(number.value()) if drawn == "decade" else bands or display.bands
        _change(store, "Choose bands", drawn=drawn, bands=bands if drawn != "bins" else 3)

    chooser.picked.connect(choose)
    number.valueChanged.connect(
        lambda value: _change(store, "Choose bands", drawn="decade", bands=int(value))
    )
    return row(label("Drawn"), chooser, number, None)


def drawn_popover(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    """Bins, bands or the running total."""
    popover = Popover(
        parent,
        "Bands",
        "Bands add up the power of all that lies in them. Narrower ones than a bin are left out.",
    )
    popover.add(_drawn_row(store, method))
    return popover


def level_popover(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    """Amplitudes as rms, peak or peak to peak, and where 0 dB is."""
    notes = {
        "rms": "Root mean square of a sine.",
        "peak": "√2 × rms: from zero to the crest.",
        "peak-to-peak": "2√2 × rms: from trough to crest.",
    }
    options = [Option(level, level, notes[level]) for level in LEVELS]
    explanation = ""
    if method.shown.scaling != "amplitude":
        explanation = "Power and PSD are always mean squares; this is for the amplitudes of peaks."
    popover = choices(
        Popover(parent, "Level", explanation),
        options,
        method.shown.level,
        lambda value: store.edit_method("Choose level", level=value),
    )
    channel = signal.channels[min(method.source.channel, len(signal.channels) - 1)]
    shown = method.shown.display.unit(channel.unit)
    reference = Number(shown.reference, 1e-15, 1e15, 15, shown.symbol, shortest=True)
    reference.setAccessibleName("Reference of decibels")
    reference.valueChanged.connect(
        lambda value: _change(store, "Choose dB reference", reference=value)
    )

    def standard() -> None:
        popover.close()
        _change(store, "Choose dB reference", reference=None)

    iso = link("as ISO 1683", "1 µm/s², 1 nm/s, 1 pm, 1 µN, 20 µPa", standard)
    popover.add(row(label("0 dB at"), reference, iso, None))
    return popover
