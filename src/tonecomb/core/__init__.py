"""Signal analysis without interface code: NumPy, SciPy, pint and the standard library only."""
