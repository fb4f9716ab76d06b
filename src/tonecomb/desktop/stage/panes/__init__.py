"""Panes below the spectrum or the waveform, each with a result of its own."""
