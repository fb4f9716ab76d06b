"""The version of the program, by itself: whatever names it needs nothing else."""

__version__ = "0.1.0"
