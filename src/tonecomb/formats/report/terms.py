"""The terms that a report uses, each in a sentence."""

from __future__ import annotations

import re

TERMS = {
    "rms": "Root of the mean square: the level of a vibration that has the same power.",
    "amplitude": "Of a tone, read in the amplitude spectrum; right whatever the window.",
    "PSD": "Power spectral density: power per Hz; the level of noise is read in it.",
    "Hann": "A window that tapers each frame to nothing at both ends, so that strong tones do not "
    "leak over weak ones.",
    "overlap": "The share of a frame that the next one begins in: what the taper hides of one, "
    "another shows.",
    "ENBW": "Equivalent noise bandwidth: the width of a rectangle that passes as much noise as one "
    "bin does.",
    "prominence": "How far a peak stands above the higher of the saddles beside it.",
    "phase": "Of a cosine at the start of the stretch.",
    "family": "Harmonics: tones at whole multiples of one fundamental.",
    "comb": "A family of harmonics or sidebands as one object, each of its tones a tooth.",
    "sidebands": "Tones at even distances to both sides of a carrier: it is modulated, for "
    "instance by a shaft's turns.",
    "THD": "Total harmonic distortion: the level of all harmonics together over that of the "
    "fundamental.",
    "resonance": "A frequency at which the structure answers strongly, whatever excites it.",
    "damping": "Damping ratio: the share of critical damping; it says how fast a ringing fades.",
    "half-power": "Half-power bandwidth: how wide a resonance is 3 dB below its top.",
    "Nyquist": "Half the sample rate: what lies above it is folded down where nothing filters it "
    "out.",
    "hump": "A broad rise that is no single tone.",
    "broadband": "What is neither in tones nor in families: noise, flow, rubbing.",
    "order": "How many times the shaft's frequency.",
    "coherence": "The share of an answer's power that a reference explains, 0 to 1.",
    "crest factor": "The highest value over the rms.",
    "kurtosis": "How peaked the samples are: 3 for noise, more where there are hits.",
}  # fmt: skip


def used(text: str) -> list[tuple[str, str]]:
    """The terms that stand in a text, in the order of the alphabet."""
    found = []
    for term, meaning in TERMS.items():
        stem = "famil(y|ies)" if term == "family" else re.escape(term) + "s?"
        flags = 0 if term.isupper() or term[0].isupper() else re.IGNORECASE
        if re.search(rf"\b{stem}\b", text, flags):
            found.append((term, meaning))
    return sorted(found, key=lambda pair: pair[0].lower())
