"""Made recordings: described by their parts and their sampling instead of read from a file."""
