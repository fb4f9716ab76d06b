"""Every pane of the stage, from top to bottom. To add one: its module and a line here."""

from __future__ import annotations

from tonecomb.desktop.stage.panes.against import AgainstPane
from tonecomb.desktop.stage.panes.before_after import BeforeAfterPane
from tonecomb.desktop.stage.panes.cepstrum import CepstrumPane
from tonecomb.desktop.stage.panes.envelope import EnvelopePane
from tonecomb.desktop.stage.panes.frame_pane import FramePane
from tonecomb.desktop.stage.panes.pane import PaneSpec
from tonecomb.desktop.stage.panes.phase import PhasePane
from tonecomb.desktop.stage.panes.run_up import RunUpPane
from tonecomb.desktop.stage.panes.shock import ShockPane
from tonecomb.desktop.stage.panes.trend import TrendPane
from tonecomb.desktop.stage.spectrogram.pane import GramPane
from tonecomb.desktop.stage.transfer.pane import TransferPane
from tonecomb.desktop.stage.waterfall.pane import WaterfallPane

PANES: list[PaneSpec] = [
    PaneSpec(
        "spectrogram",
        "Spectrogram",
        "4",
        "Level over frequency and time below the spectrum",
        "frequency",
        330,
        GramPane,
        names_frequency=True,
    ),
    PaneSpec(
        "waterfall",
        "Waterfall",
        "5",
        "Slices of the stretch in relief, as lines or as a surface",
        "frequency",
        520,
        WaterfallPane,
        shows_levels=True,
    ),
    PaneSpec(
        "trend",
        "Trend",
        "6",
        "Tracks, band levels, rms, crest factor and kurtosis against time",
        "time",
        420,
        TrendPane,
        shows_levels=True,
    ),
    PaneSpec(
        "run-up",
        "Run-up",
        "7",
        "By the shaft's angle: order spectrum and map, orders over speed, the resonances they meet",
        "time",
        480,
        RunUpPane,
        shows_levels=True,
    ),
    PaneSpec(
        "frame",
        "The single frame in time",
        "Shift+W",
        "Its samples as taken and as windowed",
        "its own",
        190,
        FramePane,
    ),
    PaneSpec(
        "before-after",
        "Filters: before and after",
        "Shift+E",
        "The filters' response, whose edges are dragged, and what they took out",
        "frequency",
        300,
        BeforeAfterPane,
        names_frequency=True,
    ),
    PaneSpec(
        "envelope",
        "Envelope",
        "8",
        "Hits that repeat, such as a bearing's, and the bands in which they ring",
        "its own",
        280,
        EnvelopePane,
    ),
    PaneSpec(
        "cepstrum",
        "Cepstrum",
        "9",
        "Families of lines as single values over quefrency, to be dropped as combs or taken out",
        "its own",
        220,
        CepstrumPane,
    ),
    PaneSpec(
        "transfer",
        "Transfer function",
        "0",
        "Between channels, from taps or what runs: curves, coherence, circle, poles, mode shapes",
        "time",
        560,
        TransferPane,
        shows_levels=True,
    ),
    PaneSpec(
        "shock",
        "Shock response",
        "Ctrl+0",
        "The most that the stretch makes oscillators answer, over their natural frequency",
        "time",
        380,
        ShockPane,
        shows_levels=True,
    ),
    PaneSpec(
        "phase",
        "Phase",
        "3",
        "Phase, real and imaginary part or group delay below the spectrum",
        "frequency",
        190,
        PhasePane,
    ),
    PaneSpec(
        "against",
        "Against a held trace",
        "Shift+H",
        "Ratio or difference of the trace now and a held one",
        "frequency",
        190,
        AgainstPane,
    ),
]
