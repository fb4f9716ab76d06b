"""Speed and memory, as ratios within one run against a stated floor."""
