"""What plots have in common: the frequency axis, lines through it, words, named curves."""
