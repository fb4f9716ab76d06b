"""The same method over any number of recordings."""
