"""What can be computed of a method, and how each result is told: a module a kind, ``table.py``."""
