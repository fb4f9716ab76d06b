"""What is looked for in an estimate: peaks, tones, families, modes, hits."""
