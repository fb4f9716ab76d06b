"""Transfer functions, impacts, and the modes fitted to them."""
