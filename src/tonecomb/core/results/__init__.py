"""What came of a method: estimates, analyses, trends, run-ups, levels, comparisons."""
