"""Describing a made signal in phrases."""
