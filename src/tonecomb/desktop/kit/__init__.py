"""Widgets and colours without a meaning of their own."""
