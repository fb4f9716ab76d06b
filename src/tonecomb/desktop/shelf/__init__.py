"""The left column: recordings and their channels."""
