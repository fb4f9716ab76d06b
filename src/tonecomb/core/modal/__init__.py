"""Taps, transfer functions and modes."""
