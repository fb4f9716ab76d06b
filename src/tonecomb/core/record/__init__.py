"""Samples as they were recorded: signals, blocks, pyramids, windows, parallel passes."""
