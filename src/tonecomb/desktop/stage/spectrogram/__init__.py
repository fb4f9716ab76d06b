"""The spectrogram, downward or sideways, with what is marked on it."""
