"""The document, what is computed of it, and what is remembered."""
