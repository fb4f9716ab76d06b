"""Slices in relief."""
