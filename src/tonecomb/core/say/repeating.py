"""What repeats in an envelope: hits, noise that swells, or the pulses of tones that are listed."""

from __future__ import annotations

from itertools import combinations

from tonecomb.core.find.hits import RepeatedHits
from tonecomb.core.method.method import Method
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say import changing, samples
from tonecomb.core.say.caution import Caution, Seen
from tonecomb.core.say.numbers import with_std
from tonecomb.core.steps.envelope import Envelope

_REMEDY = "Analyse their envelope"
_PULSES = 3  # harmonics of a family that moves which are no hits
_AS_LOUD = 0.01  # of the strongest tone's power: a family's teeth whose pulses show
_TEETH, _LISTED = 4, 3  # of a rate, and how many are listed where it is a family's
_BEATING = 12  # tones whose beats may look like hits


def hits(a: Analysis, seen: Seen) -> Caution | None:
    """Hits such as a bearing's: a spectrum shows them least where they are told best. Noise that
    changes, steps of a coarse record, the pulses of harmonics and beats of tones are none."""
    if a.ridge is not None or changing.nonstationary(a, seen) or samples.quantised(a, seen):
        return None
    heard = [one for one in seen.hits if not _of_tones(a, one)]
    if not heard:
        return None
    first, nyquist = heard[0], a.fs / 2
    low, high = max(first.band.low, nyquist / 200), min(first.band.high, 0.99 * nyquist)
    rate = f"{with_std(first.frequency, first.std)} times a second"
    band = f"from {first.band.low:.4g} to {first.band.high:.4g} Hz"
    step = Envelope(low, high)

    def envelope(now: Method) -> Method:
        return now.having(steps=(*now.source.steps, step))

    if first.smooth:
        return Caution("swells", f"The noise {band} swells {rate}.", _REMEDY, envelope)
    text = f"Hits repeat {rate} and ring {band}"
    text += ", as those of a bearing's or a gear's fault do" if first.slips else ""
    more = len([one for one in heard if not one.smooth]) - 1
    text += f"; {more} other{'s' if more > 1 else ''} besides" if more else ""
    return Caution("hits", f"{text}.", _REMEDY, envelope)


def _of_tones(a: Analysis, hits: RepeatedHits) -> bool:
    """Whether a rate is that of a family that is listed, or by which tones beat: pulses of those
    show in an envelope, too."""
    family = None if a.found is None else a.found.moving
    rate = hits.frequency
    if family is not None and any(
        n * family.low <= rate <= n * family.high for n in range(1, _PULSES + 1)
    ):
        return True
    tones = [one for one in a.peaks or () if one.tone.steady]
    exact = hits.smooth or not hits.slips
    if exact and any(_multiple(rate, one.tone.frequency, hits.std) for one in tones):
        return True
    tones = sorted(tones, key=lambda one: -one.level)
    near = max(3 * hits.std, 0.5 * a.spectrum.bin_hz)
    loud = [one.tone.frequency for one in tones if one.level > _AS_LOUD * tones[0].level]
    listed = sum(any(abs(f - n * rate) < near for f in loud) for n in range(1, _TEETH + 1))
    if listed >= _LISTED:
        return True
    strongest = [one.tone.frequency for one in tones[:_BEATING]]
    beats = (abs(f - g) for f, g in combinations(strongest, 2))
    return not hits.slips and any(abs(beat - rate) < near for beat in beats)


def _multiple(rate: float, frequency: float, std: float) -> bool:
    """Whether a rate is a tone's frequency, or twice that: what a wave does to the noise."""
    return any(abs(rate - times * frequency) < 3 * std for times in (1, 2))
