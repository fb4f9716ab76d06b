"""The Quillbeck ropeway: invented recordings with known content."""
