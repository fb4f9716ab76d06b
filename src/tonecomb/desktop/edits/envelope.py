"""Analysing the envelope of a band instead of the samples themselves."""

from __future__ import annotations

from tonecomb.core.method import document as edits
from tonecomb.core.steps.envelope import Envelope
from tonecomb.desktop.state.store import Store

_TOP = 0.98  # of the Nyquist frequency, up to which a band may go to be filtered


def analyse_envelope(store: Store, low: float, high: float) -> None:
    """Put the envelope of a band (Hz) at the end of the chain, for one that is there already."""
    ref, method, signal = store.ref, store.method, store.current
    if ref is None or method is None or signal is None:
        return
    nyquist = signal.rate / 2
    # A band that touches 0 Hz or the Nyquist frequency cannot be filtered out.
    low, high = max(low, min(0.1 * (high - low), 0.02 * nyquist)), min(high, _TOP * nyquist)
    step = Envelope(float(f"{low:.4g}"), float(f"{high:.4g}"))
    kept = tuple(one for one in method.source.steps if not isinstance(one, Envelope))
    document = edits.set_steps(store.document, ref, (*kept, step))
    store.apply("Analyse the envelope", document)
