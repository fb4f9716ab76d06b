"""What the program, its tooltips, the manual and the pages mean by a word."""

from __future__ import annotations

GLOSSARY = {
    "analysis": "what was estimated and found by one method, and how it is shown",
    "band": "a range of frequencies; a level is read of it",
    "batch": "the same analysis over many recordings",
    "broad peak": "a peak that is no line: noise through a mode, a voice. hump in files",
    "caution": "one sentence on what a reading should not be trusted with, and an edit that helps",
    "change": "what came, went, moved, grew or fell since the trace that was held",
    "channel": "one series of samples of a recording",
    "comb": "equally spaced lines: harmonics of a fundamental, or sidebands about a carrier",
    "course": "what one bin does from frame to frame",
    "detector": "how a level is read: rms, peak (true peak), peak-to-peak",
    "effective averages": "how many independent frames would average as well as those that overlap",
    "event": "a capture or an alarm of a live recording",
    "family": "a comb that was found among the peaks",
    "findings": "peaks, families, resonances and changes, looked for in an estimate",
    "floor": "the noise's mean square in each bin, below the lines",
    "frame": "the samples that are transformed at once; 1/its length is the bin without padding",
    "held trace": "a curve that is kept for comparison",
    "impact": "a short blow: a tap by a hammer that measures its force, hits of a bearing or gear",
    "kind": "a sort of result with everything that tells it: values, lines, tables, pictures",
    "level": "what lies in a band by a detector, in a quantity of its own, with zones",
    "line": "what a tone is in a spectrum, main lobe and side lobes",
    "live": "samples that come in while they are analysed",
    "machine time": "time that runs with a shaft: what turns with it stands still in it",
    "method": "everything that decides what is computed and how it is shown",
    "mode": "a resonance that a transfer function shows, with its shape",
    "order": "a multiple of the shaft's speed",
    "overlap": "how much of a frame the next one shares",
    "peak": "a place that stands out of the floor; where it is a line, a tone is fitted to it",
    "phase lead": "how far a cosine is on its way at the stretch's start, or at the trigger",
    "plan": "rules, levels and limits of a batch",
    "recording": "what was read from a file, heard live, or made",
    "resonance": "a natural frequency with its damping, fitted to a broad peak or a decay",
    "scaling": "what the upright axis means: amplitude, power, or density",
    "session": "the recordings on the shelf with their methods, in one file",
    "shelf": "the list of open recordings",
    "slice": "a short part of the stretch with a spectrum of its own",
    "step": "one thing that is done to the samples before they are analysed",
    "stretch": "the part of a recording that is analysed",
    "tone": "a sine; a peak is where one is seen",
    "tooth": "one line of a comb",
    "trace": "a curve of one analysis",
    "truth": "what was put into a made recording, beside what was read",
    "wanders": "a tone whose amplitude stands while its phase does not: a free oscillator",
    "window": "what tapers a frame towards its ends, so that lines leak less",
    "zone": "A, B, C …: between two of a level's limits",
}
"""Word: its meaning, by the alphabet."""


def meaning(word: str, also: str = "") -> str:
    """A word's meaning as a tooltip: a sentence, and what else is to be said."""
    text = GLOSSARY[word]
    return f"{text[:1].upper()}{text[1:]}" + (f" ({also})" if also else "")
