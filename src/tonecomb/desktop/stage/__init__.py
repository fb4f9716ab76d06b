"""The middle of the bench, where the views stand."""
