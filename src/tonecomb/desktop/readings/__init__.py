"""The right column: what was found, with units."""
