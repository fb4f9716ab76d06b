"""What is found in an estimate: peaks, tones, combs, resonances."""
