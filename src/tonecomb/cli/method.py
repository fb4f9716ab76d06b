"""The command line's options that make up a method."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import click

from tonecomb.cli.between import BETWEEN_OPTIONS, between_of
from tonecomb.cli.common import RangeOption, channel_of
from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import MOTIONS, SYSTEMS
from tonecomb.core.estimate.averages import AVERAGES, Average, InStep, Single
from tonecomb.core.estimate.bands import Band, octave_bands
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.profile import parsed
from tonecomb.core.estimate.shaft import Shaft, of_comb
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.estimate.weighting import WEIGHTINGS
from tonecomb.core.method.method import LEVELS, Method, Preset, in_units
from tonecomb.core.method.searches import Fit
from tonecomb.core.method.sentence import DETRENDS, SCALINGS
from tonecomb.core.record.recording import Recording, Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import WINDOWS
from tonecomb.core.results.machine_time import steadied
from tonecomb.core.results.slices import Slicing
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step
from tonecomb.formats import level_text, step_text

_CHOSEN = ("detrend", "window", "frame", "overlap", "pad", "scaling", "level")


def method_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """All options that change the method; :func:`method_of` understands what they leave."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


_OPTIONS = (
    click.option(
        "--step",
        "steps",
        multiple=True,
        metavar="NAME[:VALUE…][:key=value…]",
        help="What is done to the samples first, like keep:2:22 or decimate:4, in the order "
        "given; repeatable. The command steps lists them.",
    ),
    click.option(
        "--as-sampled",
        metavar="RATE[:BITS][:no-filter]",
        help="What a logger of this rate in Hz, and of so many bits, would have shown, behind a "
        "filter or not. The command steps lists what else it takes.",
    ),
    click.option(
        "--steady",
        is_flag=True,
        help="Steady a machine that breathes: after the steps, resample to machine time, in "
        "which what turns with it stands still. The signal tells the speed.",
    ),
    click.option(
        "--preset",
        type=click.Path(path_type=Path),
        metavar="FILE[:NAME]",
        help="Start from a method in a file of exported presets.",
    ),
    click.option("--detrend", type=click.Choice(list(DETRENDS)), help="What each frame loses."),
    click.option(
        "--window",
        metavar="NAME[:VALUE]",
        help=f"Taper of each frame: {', '.join(WINDOWS)}; those from kaiser on take a value.",
    ),
    click.option(
        "--frame",
        type=int,
        metavar="SAMPLES",
        help="Length of a frame; what suits the stretch if nothing is said.",
    ),
    click.option("--overlap", type=float, metavar="PERCENT", help="Share of a frame in the next."),
    click.option("--pad", type=int, metavar="FACTOR", help="Zero padding: times the frame."),
    click.option("--scaling", type=click.Choice(list(SCALINGS)), help="Of the spectrum."),
    click.option("--level", type=click.Choice(LEVELS), help="Of amplitudes."),
    click.option(
        "--average", type=click.Choice(list(AVERAGES)), help="How frames become one spectrum."
    ),
    click.option("--at", type=float, metavar="SECONDS", help="Middle of the single frame."),
    click.option(
        "--period", type=float, metavar="SECONDS", help="Synchronous frames start so far apart."
    ),
    click.option(
        "--trigger",
        metavar="CHANNEL:LEVEL",
        help="Synchronous frames start where this channel rises through this level.",
    ),
    click.option(
        "--falling", is_flag=True, help="Trigger or tacho where it falls through the level."
    ),
    click.option(
        "--strike",
        "struck",
        type=RangeOption(),
        multiple=True,
        metavar="START:END",
        help="Leave out frames that touch this part, in s; repeatable.",
    ),
    click.option("--leave-clipped", is_flag=True, help="Leave out frames that clip."),
    click.option(
        "--as",
        "quantity",
        type=click.Choice([name.lower() for name in MOTIONS]),
        help="Show the spectrum as another quantity of motion.",
    ),
    click.option("--low-cut", type=float, metavar="HZ", help="With --as: nothing below this."),
    click.option(
        "--draw",
        metavar="octave:N|decade:N|total",
        help="Write the spectrum in bands, 1/N octave or N a decade, or as its running total.",
    ),
    click.option(
        "--levels",
        "levels",
        multiple=True,
        metavar="QUANTITY:LOW:HIGH[:DETECTOR][=A,B,…]",
        help="A level, like velocity:10:1000:rms=1.4,2.8,4.5 with the ends of its zones; measured "
        "for what the channel has, Wk for a weighting; repeatable.",
    ),
    click.option(
        "--test-spectrum",
        "profile",
        metavar="UNIT:HZ=DENSITY,…[:BELOW,ABOVE]",
        help="Hold the density against a test's, like g:20=0.01,80=0.04,2000=0.007:3,3, and list "
        "where it is off by more dB.",
    ),
    click.option(
        "--band",
        "bands",
        type=RangeOption(),
        multiple=True,
        metavar="LOW:HIGH",
        help="The rms between two frequencies in Hz, of what is shown; repeatable.",
    ),
    click.option(
        "--units",
        "system",
        type=click.Choice(list(SYSTEMS)),
        help="Units of integrals and derivatives: m/s², mm/s, µm or g, in/s, mil.",
    ),
    click.option(
        "--weighting",
        type=click.Choice(list(WEIGHTINGS)),
        help="Weight the spectrum: A, C for pressure; Wk, Wd, Wm for acceleration.",
    ),
    click.option("--octaves", type=int, metavar="N", help="Also the rms of each 1/N octave."),
    click.option(
        "--range", "span", type=RangeOption(), metavar="LOW:HIGH", help="Frequencies, in Hz."
    ),
    click.option(
        "--peaks-over-floor", type=float, metavar="DB", help="Peaks so far above the noise floor."
    ),
    click.option(
        "--peak",
        "by_hand",
        type=float,
        multiple=True,
        metavar="HZ",
        help="A peak wanted whatever its height; repeatable.",
    ),
    click.option(
        "--fit",
        "fits",
        metavar="LOW:HIGH[:2]",
        multiple=True,
        help="Fit a resonance, or two, between these frequencies in Hz; repeatable.",
    ),
    *BETWEEN_OPTIONS,
    click.option(
        "--slices",
        type=click.IntRange(1),
        metavar="N",
        help="Spectra of N slices, evenly over the stretch.",
    ),
    click.option(
        "--slice-at",
        "slice_at",
        type=float,
        multiple=True,
        metavar="SECONDS",
        help="A slice about this time; repeatable.",
    ),
    click.option("--slice-width", type=float, metavar="SECONDS", help="Average so much a slice."),
    click.option(
        "--track",
        "tracks",
        multiple=True,
        metavar="LOW:HIGH[:TEETH]",
        help="Follow the strongest tone in a range of Hz from frame to frame, or the fundamental "
        "in it of a comb with these teeth, like 5:30:1,2,17; repeatable.",
    ),
    click.option(
        "--run-up",
        "run_up",
        metavar="LOW:HIGH:ORDERS",
        help="Analyse by the angle of a shaft that turns between these frequencies in Hz, by its "
        "orders, like 5:30:1,2,17: their levels over speed, and the resonances they meet.",
    ),
    click.option(
        "--speed-from",
        metavar="NAME|NUMBER",
        help="With --run-up: the channel in which the shaft's comb is followed.",
    ),
    click.option(
        "--tacho",
        metavar="CHANNEL:LEVEL[:PULSES]",
        help="Instead of --run-up: the shaft's speed from a channel that rises through this level "
        "so many times a turn.",
    ),
    click.option("--orders", metavar="ORDERS", help="With --tacho: orders to follow, like 1,2,17."),
    click.option(
        "--power-sum",
        is_flag=True,
        help="One spectrum of the channels: their mean squares added, as of several axes.",
    ),
    click.option(
        "--peaks-above", type=float, metavar="DB", help="Peaks down to this below the highest."
    ),
)


def method_of(
    recording: Recording,
    channel: int,
    base: Method | None,
    settings: dict[str, Any],
    turns: float | None = None,
) -> Method:
    """The method for a channel: ``base``, or the default one for a shaft that ``turns`` at so many
    Hz, with what was asked for."""
    steps = chain_of(base, settings)
    signal = prepare(recording, steps)
    method = (base or Method()).having(channel=channel, steps=steps).levelled(recording, turns)
    if settings["system"] is not None:
        method = in_units(method, settings["system"])
        steps = method.source.steps
    if settings["preset"] is not None:
        method = preset_of(settings["preset"]).applied(method).having(steps=steps)
    stretch, search = settings["stretch"], method.search.peaks
    if settings["peaks_above"] is not None:
        if not settings["peaks_above"] >= 0:
            raise UserError("--peaks-above takes a number of dB from 0 up")
        search = replace(search, above_db=settings["peaks_above"])
    if settings["peaks_over_floor"] is not None:
        search = replace(search, above_floor_db=settings["peaks_over_floor"])
    if settings["span"] is not None:
        search = replace(search, low=settings["span"][0], high=settings["span"][1])
    if settings["at"] is not None and settings["average"] != Single.key:
        raise UserError("--at is the place of a single frame", remedy="add --average single")
    if settings["by_hand"]:
        search = replace(search, by_hand=settings["by_hand"])
    display = _display(method.shown.display, settings)
    shown = SYSTEMS[display.units][display.quantity] if display.quantity else ""
    bands = (
        *(level_text.parse(text, display.units) for text in settings["levels"]),
        *(Band(low, high, unit=shown) for low, high in settings["bands"]),
    )
    if stretch is not None:
        method = method.having(stretch=Stretch(*stretch))
    chosen = {key: settings[key] for key in _CHOSEN if settings[key] is not None}
    method = method.having(
        search=replace(
            method.search,
            peaks=search,
            fits=tuple(_fit(text) for text in settings["fits"]) or method.search.fits,
        ),
        bands=bands or method.levels,
        profile=parsed(settings["profile"]) if settings["profile"] else method.follow.profile,
        struck=tuple(Stretch(*span) for span in settings["struck"]) or method.averaging.struck,
        tracks=wanted_of(settings["tracks"]) or method.follow.tracks,
        leave_clipped=settings["leave_clipped"] or method.averaging.leave_clipped,
        average=_average(method.averaging.average, signal, settings),
        shaft=_shaft(signal, settings) or method.shaft,
        between=between_of(signal, settings) or method.between,
        display=display,
        **chosen,
    ).resolved(recording)
    if settings["steady"]:
        steps = (*method.source.steps, steadied(method, recording))
        method = method.having(steps=steps).resolved(recording)
    if settings["octaves"] is not None:
        # Narrower bands than a bin would tell nothing.
        bin_hz = signal.rate / method.frames.frame
        _, edges = octave_bands(settings["octaves"], bin_hz, signal.rate / 2)
        wide = [
            Band(low, high, unit=shown)
            for low, high in pairwise(edges.tolist())
            if high - low >= bin_hz
        ]
        method = method.having(bands=(*method.levels, *wide))
    return method


def chain_of(base: Method | None, settings: dict[str, Any]) -> tuple[Step, ...]:
    """The steps that the call names, or else those of the preset or the session."""
    taken = settings["as_sampled"]
    last = () if taken is None else (step_text.parse(f"{AsSampled.key}:{taken}"),)
    if settings["steps"]:
        return (*(step_text.parse(text) for text in settings["steps"]), *last)
    return (*_kept_steps(base, settings), *last)


def _kept_steps(base: Method | None, settings: dict[str, Any]) -> tuple[Step, ...]:
    if settings["preset"] is not None and (kept := preset_of(settings["preset"])):
        return kept.method.source.steps or (() if base is None else base.source.steps)
    return () if base is None else base.source.steps


def _average(now: Average, signal: Signal, settings: dict[str, Any]) -> Average:
    """The way of averaging that the call names, with what belongs to it."""
    key = settings["average"]
    period, trigger = settings["period"], settings["trigger"]
    if (period or trigger) and key != InStep.key:
        raise UserError(
            "--period and --trigger are of synchronous frames", remedy="add --average synchronous"
        )
    if key is None:
        return now
    if key == Single.key:
        return Single(settings["at"])
    if key != InStep.key:
        return AVERAGES[key]()
    if trigger is not None:
        return InStep(_passing(signal, trigger, settings["falling"]))
    if period is not None:
        return InStep(Sync(period=period))
    return now if isinstance(now, InStep) else InStep()


def _fit(text: str) -> Fit:
    """A range, and after a second colon how many modes."""
    parts = text.split(":")
    try:
        if len(parts) not in (2, 3):
            raise ValueError
        return Fit(float(parts[0]), float(parts[1]), int(parts[2]) if len(parts) == 3 else 1)
    except ValueError as error:
        raise UserError(
            f"‘{text}’ is no range to fit", remedy="give it like 55:70, or 55:70:2 for two modes"
        ) from error


def wanted_of(texts: tuple[str, ...]) -> tuple[Wanted, ...]:
    """What ``--track`` asks for."""
    wanteds = []
    for text in texts:
        parts = text.split(":")
        try:
            if len(parts) not in (2, 3):
                raise ValueError
            teeth = tuple(int(n) for n in parts[2].split(",")) if len(parts) == 3 else ()
            wanteds.append(Wanted(float(parts[0]), float(parts[1]), teeth))
        except ValueError as error:
            raise UserError(
                f"‘{text}’ is no range to follow a tone in",
                remedy="give it like 20:30, or 5:30:1,2,17 for a comb",
            ) from error
    return tuple(wanteds)


def _shaft(signal: Signal, settings: dict[str, Any]) -> Shaft | None:
    run_up, tacho, orders = settings["run_up"], settings["tacho"], settings["orders"]
    if run_up is not None and tacho is not None:
        raise UserError("--run-up and --tacho exclude each other")
    if run_up is None and settings["speed_from"] is not None:
        raise UserError("--speed-from is the channel of --run-up", remedy="add --run-up")
    if tacho is None and orders is not None:
        raise UserError("--orders are those of --tacho", remedy="add --tacho")
    if tacho is not None:
        head, _, last = tacho.rpartition(":")
        pulses = int(last) if ":" in head and last.isdecimal() else 1
        sync = _passing(signal, head if ":" in head else tacho, settings["falling"])
        return Shaft(tacho=sync, pulses=pulses, orders=_orders(orders or "1"))
    if run_up is None:
        return None
    (comb,) = wanted_of((run_up,))
    if not comb.teeth:
        raise UserError(f"‘{run_up}’ names no orders", remedy="give them like 5:30:1,2,17")
    channel = settings["speed_from"]
    return replace(
        of_comb(comb.low, comb.high, comb.teeth),
        channel=None if channel is None else channel_of(signal.name, signal.channels, channel),
    )


def _orders(text: str) -> tuple[float, ...]:
    try:
        return tuple(float(part) for part in text.split(","))
    except ValueError as error:
        raise UserError(f"‘{text}’ are no orders", remedy="give them like 1,2,17") from error


def slicing_of(settings: dict[str, Any]) -> Slicing | None:
    """What ``--slices`` and its companions ask for, None for no slices."""
    count, at, width = settings["slices"], settings["slice_at"], settings["slice_width"]
    if count is not None and at:
        raise UserError("--slices and --slice-at exclude each other")
    if count is None and not at:
        if width is not None:
            raise UserError("--slice-width is the width of slices", remedy="add --slices")
        return None
    return Slicing(count=count, at=at, width=width)


def preset_of(wanted: Path) -> Preset:
    from tonecomb.formats.session import presets

    file, name = wanted, ""
    head, _, name_after = wanted.name.rpartition(":")
    if head and not file.exists():
        name = name_after
        file = wanted.with_name(head)
    found = presets.load(file)
    for preset in found:
        if preset.name == name or (not name and len(found) == 1):
            return preset
    names = ", ".join(preset.name for preset in found)
    raise UserError(
        f"{file.name} has no preset ‘{name}’" if name else f"{file.name} holds several presets",
        remedy=f"name one after a colon: {names}",
    )


def _passing(signal: Signal, text: str, falling: bool) -> Sync:
    """A channel and the level that it passes."""
    name, colon, level = text.rpartition(":")
    try:
        value = float(level if colon else "")
    except ValueError as error:
        raise UserError(
            f"‘{text}’ is no trigger", remedy="give a channel and a level, like tacho:0.5"
        ) from error
    return Sync(
        channel=channel_of(signal.name, signal.channels, name), level=value, falling=falling
    )


def _display(display: Display, settings: dict[str, Any]) -> Display:
    if settings["quantity"] is not None:
        display = replace(display, quantity=settings["quantity"].capitalize())
    if settings["weighting"] is not None:
        display = replace(display, weighting=settings["weighting"])
    if settings["low_cut"] is not None:
        display = replace(display, low_cut=settings["low_cut"])
    if (draw := settings["draw"]) is None:
        return display
    if draw == "total":
        return replace(display, drawn="total")
    kind, _, number = draw.partition(":")
    if kind not in ("octave", "decade") or not number.isdecimal():
        raise UserError(
            f"‘{draw}’ is no way to draw a spectrum", remedy="choose octave:3, decade:10 or total"
        )
    return replace(display, drawn=kind, bands=int(number))
