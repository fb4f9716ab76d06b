"""The spectrum, with what is drawn over and behind it."""
