"""Whether what is said of records of many kinds is true, and what is due is said."""

import pytest
from benchmarks.statements import lacking, trials, untrue

KINDS = [
    "noise: white 100 Hz",
    "noise: heavy tails",
    "noise: two levels",
    "tone: 10 Hz rate",
    "tones: 12 at random",
    "change: tone in the first half",
    "change: nine bursts",
    "change: random FM, 0.3 s",
    "change: one after the other",
    "change: two, in turn",
    "change: sweep 5 to 29 Hz",
    "change: sweep 1400 to 900 Hz",
    "family: 2, 3, 5, 7",
    "family: two, 3 to 4",
    "family: gear and sidebands",
    "family: of 12 random tones none",
    "mode: 1 %",
    "mode: 5 %",
    "mode: under a tone",
    "hits: none in a vowel",
    "samples: sine of 8 bits",
    "samples: clipped sine",
    "samples: leading zeros",
    "samples: constant",
    "samples: a spike",
    "samples: lost",
    "mixture: hum and a mode",
    "mixture: a loud tone for 3 s beside one that swells",
]


@pytest.mark.parametrize("kind", KINDS)
def test_every_sentence_is_true(kind) -> None:
    for record, said in trials(kind, 1):
        assert not untrue(record, said), said.sentences
        assert not lacking(record, said), said.sentences


@pytest.mark.parametrize(
    "kind",
    ["mixture: a wandering line below a family", "mixture: hum and a mode", "family: 2, 3, 5, 7"],
)
def test_teeth_are_at_their_peaks(kind) -> None:
    """What becomes of peaks after families have been looked for leaves their numbers alone."""
    for _, said in trials(kind, 3):
        for comb in said.analysis.combs:
            found = [tooth for tooth in comb.teeth if tooth.found]
            assert found
            for tooth in found:
                assert said.analysis.peaks[tooth.line].tone.frequency == tooth.frequency
                assert abs(tooth.deviation) < 0.02 * comb.spacing
