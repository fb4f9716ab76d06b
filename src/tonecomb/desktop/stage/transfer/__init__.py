"""The transfer function, its poles and mode shapes."""
