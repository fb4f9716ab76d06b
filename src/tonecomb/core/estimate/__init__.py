"""Numerics of spectra: framing, averaging, levels, bands, tracks, orders."""
